"""Parts of the web server by themselves: thinning for the eye, slow browsers, run numbers."""

import asyncio
import json
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
import zmq
from starlette.requests import HTTPConnection

from tests.conftest import wait_for
from tidybench.core.batch import Batch
from tidybench.core.samples import channels_of, unpack
from tidybench.core.tape.shown import TapeLine
from tidybench.core.values.row_rule import RowRule
from tidybench.web.access import Access
from tidybench.web.hub import Hub, Listener, thinned
from tidybench.web.live import LiveTape
from tidybench.web.sessions import Sessions
from tidybench.wire.client import Client, RecorderAway
from tidybench.wire.places import Places, data_folder
from tidybench.wire.protocol import REQUEST, TOPIC_SAMPLES, Answer, Hello
from tidybench.wire.runs import BeginRun, EndRun
from tidybench.wire.status import GetStatus


def test_a_flood_is_thinned_without_losing_its_spikes() -> None:
    batch = Batch()
    for n in range(6000):
        batch.add(
            1 + n % 3, 7 if n == 3001 else 0, n, float("nan") if n == 3001 else (99.0 if n == 1500 else n % 7)
        )
    kept = unpack(thinned(batch.pack(1), 25))
    assert len(kept) < 300
    assert 99.0 in kept["value"]
    assert np.isnan(kept["value"]).sum() == 1
    for number in (1, 2, 3):
        assert np.all(np.diff(kept["time"][channels_of(kept) == number]) > 0)
    assert thinned(b"", 25) == b""


def test_a_browser_that_does_not_keep_up_skips_and_is_told() -> None:
    async def story() -> tuple[list[bytes | str], list[bytes | str]]:
        listener = Listener()
        for n in range(1000):
            listener.put(b"%d" % n)
        first = [await listener.get() for _ in range(256)]
        listener.put(b"later")
        return first, [await asyncio.wait_for(listener.get(), 1) for _ in range(2)]

    first, then = asyncio.run(story())
    assert first == [b"%d" % n for n in range(256)]  # bounded, and in order
    assert json.loads(then[0])["kind"] == "skipped"
    assert then[1] == b"later"


def test_without_a_recorder_it_is_said_and_no_order_waits_for_one(places: Places) -> None:
    """An order given while the recorder was away must not be carried out when it is back."""

    async def story() -> list[bytes]:
        hub = Hub(places)
        await hub.start()
        with pytest.raises(RecorderAway):
            await hub.ask(BeginRun(name="too early"), patience=0.3)
        assert hub.message().kind == "away"
        context: zmq.Context[zmq.Socket[bytes]] = zmq.Context()
        late = context.socket(zmq.ROUTER)
        late.bind(places.control)
        heard = []
        until = time.monotonic() + 0.7
        while time.monotonic() < until:
            if late.poll(50):
                heard.append(late.recv_multipart()[-1])
            await asyncio.sleep(0.01)
        await hub.stop()
        context.destroy(linger=0)
        return heard

    assert asyncio.run(story()) == []


def test_a_message_of_another_version_does_not_end_the_conversation(places: Places) -> None:
    async def story() -> tuple[bytes | str, bool]:
        context: zmq.Context[zmq.Socket[bytes]] = zmq.Context()
        live = context.socket(zmq.PUB)
        live.bind(places.live)
        hub = Hub(places)
        await hub.start()
        listener = hub.listen()
        item: bytes | str = b""
        for _ in range(100):
            live.send_multipart([b"t", b'{"from": "the future"}'])
            live.send_multipart([TOPIC_SAMPLES, b"x" * 24])
            try:
                item = await asyncio.wait_for(listener.get(), 0.05)
                break
            except TimeoutError:
                continue
        here = hub.here
        await hub.stop()
        context.destroy(linger=0)
        return item, here

    assert asyncio.run(story()) == (b"x" * 24, True)


def test_requests_and_answers_travel_as_typed_json() -> None:
    for request in (
        Hello(),
        BeginRun(name="x", row_rule=RowRule(kind="each reading")),
        EndRun(run="r"),
        GetStatus(),
    ):
        assert REQUEST.validate_json(request.model_dump_json()) == request
    for bad in (b"", b"{}", b'{"kind": "format the disk"}', b'{"kind": "begin run"}'):
        with pytest.raises(ValueError, match="validation error"):
            REQUEST.validate_json(bad)
    line = TapeLine(n=1, at=2, link="x", kind="in", text="\x00\xff")
    assert LiveTape.model_validate_json(LiveTape(lines=[line]).model_dump_json()).lines == [line]
    assert Answer.model_validate_json(Answer(trouble="disk", why="full").model_dump_json()).trouble == "disk"


def test_a_client_says_when_nobody_answers(places: Places) -> None:
    client = Client(places.control, patience=0.1)
    with pytest.raises(RecorderAway, match="does not answer"):
        client.ask(GetStatus())
    client.close()


def test_where_things_are_kept(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setenv("TIDY_DATA", str(tmp_path / "x"))
    assert data_folder() == tmp_path / "x"
    monkeypatch.delenv("TIDY_DATA")
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    assert data_folder() == tmp_path / "tidybench"
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path / ("long" * 40)))
    for deep in ("a", "b" * 200):
        places = Places(tmp_path / deep)
        # A Unix socket's path has at most 107 bytes, whatever the data folder's.
        assert len(places.control.removeprefix("ipc://")) <= 107
    assert Places(tmp_path / "a").control != Places(tmp_path / "b").control


def test_the_sockets_folder_is_its_owner_s_alone(tmp_path: Path) -> None:
    places = Places(tmp_path / "data")
    places.make()
    assert places.sockets.stat().st_mode & 0o077 == 0
    places.sockets.chmod(0o755)
    with pytest.raises(PermissionError, match="remove it"):
        places.make()
    places.sockets.rmdir()


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({"host": "127.0.0.1:8470", "authorization": "Bearer right"}, 200),
        ({"host": "LOCALHOST:8470", "authorization": "Bearer right", "cookie": "other=1"}, 200),
        ({"host": "localhost:8470", "cookie": "other=1; tidybench-8470=right"}, 401),
        ({"host": "[::1]:8470", "authorization": "Bearer right", "origin": "http://[::1]:8470"}, 200),
        ({"host": "127.0.0.1:8470"}, 401),
        ({"host": "127.0.0.1:8470", "authorization": "Bearer rigth"}, 401),
        ({"host": "127.0.0.1:8470", "authorization": "Bearer "}, 401),
        ({"host": "127.0.0.1:8470", "cookie": "tidybench-8471=right"}, 401),
        ({"host": "127.0.0.1:8470", "cookie": ";;;=\x01"}, 401),
        ({"authorization": "Bearer right"}, 421),
        ({"host": "127.0.0.1:8470.evil.example", "authorization": "Bearer right"}, 421),
        (
            {
                "host": "127.0.0.1:8470",
                "authorization": "Bearer right",
                "origin": "http://127.0.0.1:8470.evil",
            },
            403,
        ),
        ({"host": "127.0.0.1:8470", "authorization": "Bearer right", "content-length": "9999999"}, 413),
        ({"host": "127.0.0.1:8470", "authorization": "Bearer right", "content-length": "-5"}, 413),
    ],
)
def test_every_request_is_looked_at(headers: dict[str, str], status: int, tmp_path: Path) -> None:
    seen: list[int] = []

    async def app(scope: object, receive: object, send: object) -> None:
        seen.append(200)

    async def send(message: "dict[str, object]") -> None:
        if message["type"] == "http.response.start":
            seen.append(int(str(message["status"])))

    async def receive() -> "dict[str, object]":
        return {"type": "http.request"}

    scope = {
        "type": "http", "method": "GET", "path": "/api/bench", "query_string": b"",
        "headers": [(k.encode(), v.encode("latin-1")) for k, v in headers.items()],
    }  # fmt: skip
    HTTPConnection(scope)  # a scope as a server gives it
    asyncio.run(Access(app, "right", 8470, Sessions(tmp_path / "sessions.json"))(scope, receive, send))  # type: ignore[arg-type]
    assert seen == [status]


def test_the_recorder_alone_is_a_headless_logger(places: Places) -> None:
    """Set-up files on its command line; a bad one is said in words and it does not start."""
    bad = places.data / "bad.setup.toml"
    bad.write_text('[instrument]\nid = "x"\n')
    command = [sys.executable, "-m", "tidybench.recorder"]
    done = subprocess.run(
        [*command, str(bad)], capture_output=True, text=True, timeout=30, env=_environment()
    )
    assert done.returncode == 2
    assert "instrument.name: this key is missing." in done.stderr
    assert "Traceback" not in done.stderr


def test_a_second_recorder_keeps_away_from_the_runs(places: Places) -> None:
    command = [sys.executable, "-m", "tidybench.recorder"]
    first = subprocess.Popen(command, env=_environment())
    client = Client(places.control)
    wait_for(lambda: client.ask(GetStatus())[0].status is not None, "the first")
    second = subprocess.Popen(command, env=_environment(), stderr=subprocess.PIPE, text=True)
    first.terminate()
    assert first.wait(10) == 0
    client.close()
    # The one that ended is waited for; then the second goes on.
    wait_for(lambda: client.ask(GetStatus())[0].status is not None, "the second")
    second.terminate()
    assert second.wait(10) == 0
    client.close()


def _environment() -> dict[str, str]:
    import os

    return {**os.environ, "PYTHONPATH": str(Path(__file__).resolve().parents[2] / "src")}
