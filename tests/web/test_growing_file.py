"""A CSV that is fetched while its run goes on."""

import asyncio
from collections.abc import MutableMapping
from pathlib import Path
from typing import Any

from starlette.types import Receive

from tidybench.web.growing_file import GrowingFile

ROW = b"2026-11-26T10:00:00.000+01:00,1.0,128.34,\r\n"


def sent(response: GrowingFile) -> tuple[dict[str, str], bytes]:
    """What goes out, as the server gets it."""
    told: list[MutableMapping[str, Any]] = []

    async def send(message: MutableMapping[str, Any]) -> None:
        told.append(message)

    async def never() -> MutableMapping[str, Any]:
        await asyncio.sleep(60)
        return {"type": "http.disconnect"}

    receive: Receive = never
    asyncio.run(response({"type": "http", "method": "GET", "headers": []}, receive, send))
    headers = {name.decode(): value.decode() for name, value in told[0]["headers"]}
    return headers, b"".join(message.get("body", b"") for message in told[1:])


def test_as_much_is_sent_as_was_said_however_the_file_grows(tmp_path: Path) -> None:
    path = tmp_path / "pump 7 µ.csv"
    path.write_bytes(ROW * 50_000 + ROW[:20])  # a row is being written
    response = GrowingFile(path, "text/csv")
    with path.open("ab") as file:
        file.write(ROW[20:] + ROW * 3000)
    headers, body = sent(response)
    assert headers["content-length"] == str(len(body)) == str(len(ROW) * 50_000)
    assert body.endswith(b"\r\n")
    assert headers["content-disposition"].endswith("pump%207%20%C2%B5.csv")


def test_a_file_without_a_whole_line_is_empty(tmp_path: Path) -> None:
    path = tmp_path / "x.csv"
    for content, whole in ((b"", b""), (b"time,elapsed", b""), (b"time\r\n1", b"time\r\n")):
        path.write_bytes(content)
        assert sent(GrowingFile(path, "text/csv"))[1] == whole
