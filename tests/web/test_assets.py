"""The front end's files as a browser gets them."""

import gzip
from pathlib import Path

from starlette.testclient import TestClient

from tidybench.web.assets import Assets

SCRIPT = "console.log('one line of many');\n" * 200


def test_hashed_files_are_sent_packed_and_kept(tmp_path: Path) -> None:
    (tmp_path / "page-1.js").write_text(SCRIPT)
    (tmp_path / "tiny.js").write_text("1;")
    (tmp_path / "letters.woff2").write_bytes(bytes(5000))
    client = TestClient(Assets(directory=tmp_path))

    with client.stream("GET", "/page-1.js", headers={"Accept-Encoding": "gzip, br"}) as packed:
        raw = b"".join(packed.iter_raw())
    assert packed.headers["content-encoding"] == "gzip"
    assert packed.headers["vary"] == "Accept-Encoding"
    assert packed.headers["content-type"].startswith(("text/javascript", "application/javascript"))
    assert gzip.decompress(raw).decode() == SCRIPT
    assert len(raw) < len(SCRIPT) / 10

    plain = client.get("/page-1.js", headers={"Accept-Encoding": "identity"})
    assert "content-encoding" not in plain.headers
    assert plain.text == SCRIPT
    for name in ("tiny.js", "letters.woff2"):
        answer = client.get(f"/{name}", headers={"Accept-Encoding": "gzip"})
        assert "content-encoding" not in answer.headers
        assert "immutable" in answer.headers["cache-control"]


def test_another_file_of_the_same_name_is_not_the_old_one(tmp_path: Path) -> None:
    page = tmp_path / "page.js"
    page.write_text("a" * 2000)
    client = TestClient(Assets(directory=tmp_path))
    assert client.get("/page.js").text == "a" * 2000
    page.write_text("b" * 2000)
    assert client.get("/page.js").text == "b" * 2000
