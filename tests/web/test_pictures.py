"""Pictures that procedures ask for: sent by the page, kept in the run, sealed with it."""

import hashlib
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import Server, wait_for
from tidybench.runs.pictures import add_picture, kind_of, pictures
from tidybench.runs.seal import verify

JPEG = b"\xff\xd8\xff\xe0" + bytes(range(256)) * 40
TEXT = 'procedure Plate\n  ask plate "Nameplate" picture\n  mark "see {plate}"\n'


@pytest.fixture
def asked(server: Server) -> Iterator[dict[str, int]]:
    """A procedure that asks for a picture: what its answer is sent with."""
    assert server.post("/api/procedure/start", {"text": TEXT, "by": "M. Okafor"}).status_code == 204

    def question() -> dict[str, int] | None:
        newest = max(server.get("/api/procedure").json(), key=lambda one: int(one["id"]), default=None)
        if newest is None or newest["question"] is None:
            return None
        return {"id": newest["id"], "question": newest["question"]["number"]}

    wait_for(question, "the question")
    found = question()
    assert found is not None
    yield found
    server.post("/api/procedure/stop", {"id": found["id"]})


def send(server: Server, asked: dict[str, int], data: bytes) -> tuple[int, str]:
    with server.client() as client:
        answer = client.post(
            "/api/procedure/picture",
            params={**asked, "by": "M. Okafor"},
            content=data,
            headers={"content-type": "application/octet-stream"},
        )
    return answer.status_code, answer.json()["detail"] if answer.status_code != 204 else ""


def test_a_picture_is_kept_in_its_run_and_sealed_with_it(server: Server, asked: dict[str, int]) -> None:
    status, why = send(server, asked, JPEG)
    assert (status, why) == (
        409,
        "No run is on: a picture is kept in its run. Begin a run, and send it again.",
    )
    run = server.post("/api/run", {"name": "Nameplate", "operator": "M. Okafor"}).json()
    status, why = send(server, asked, b"GIF89a")
    assert (status, why) == (422, "This is no picture that can be kept: JPEG, PNG or WebP is wanted.")
    later = {**asked, "question": asked["question"] + 1}
    assert send(server, later, JPEG) == (409, "No picture is asked for any more.")
    folder = Path(run["folder"])
    assert pictures(folder) == []
    assert send(server, asked, JPEG) == (204, "")
    wait_for(lambda: any(text == "see pictures/001.jpg" for text in marks(server)), "the mark")
    assert send(server, asked, JPEG)[0] == 409
    key = run["id"]
    assert server.post("/api/run/end", {"run": key}).status_code < 300
    wait_for(lambda: server.get(f"/api/runs/{key}/seal").status_code == 200, "the seal")
    assert server.get(f"/api/runs/{key}/pictures").json() == ["001.jpg"]
    picture = server.get(f"/api/runs/{key}/pictures/001.jpg")
    assert hashlib.sha256(picture.content).digest() == hashlib.sha256(JPEG).digest()
    assert picture.headers["content-type"] == "image/jpeg"
    assert server.get(f"/api/runs/{key}/pictures/002.jpg").status_code == 404
    assert server.get(f"/api/runs/{key}/pictures/..%2Frun.json").status_code in (404, 422)
    assert verify(folder).problems == []
    (folder / "pictures" / "001.jpg").write_bytes(JPEG[:-1] + b"!")
    assert verify(folder).problems == ["pictures/001.jpg has changed."]
    assert list(server.places.uploads.iterdir()) == [], "nothing is left behind"


def test_without_a_picture_it_goes_on(server: Server, asked: dict[str, int]) -> None:
    body = {"id": asked["id"], "question": asked["question"], "by": "M. Okafor"}
    refused = server.post("/api/procedure/answer", {**body, "value": "pictures/999.jpg"})
    assert (refused.status_code, refused.json()["detail"]) == (400, "A picture is wanted, or no for none.")
    assert server.post("/api/procedure/answer", {**body, "value": True}).status_code == 400
    assert server.post("/api/procedure/answer", {**body, "value": False}).status_code == 204
    whole = server.get(f"/api/procedure/{asked['id']}").json
    wait_for(
        lambda: "Nameplate no picture, by M. Okafor" in [one["words"] for one in whole()["log"]], "the log"
    )


def marks(server: Server) -> list[str]:
    run = server.recorder.status().run
    return [mark.text for mark in run.marks] if run is not None else []


@pytest.mark.parametrize(
    ("data", "kind"),
    [(JPEG, "jpg"), (b"\x89PNG\r\n\x1a\n...", "png"), (b"RIFF\x00\x00\x00\x00WEBPVP8 ", "webp"), (b"", ""), (b"<svg>", "")],
)  # fmt: skip
def test_what_a_picture_is_its_first_bytes_say(data: bytes, kind: str) -> None:
    assert kind_of(data) == kind


def test_pictures_are_numbered_whatever_lies_beside_them(tmp_path: Path) -> None:
    for name in ("001.jpg", "999.png", "notes.txt", "x.jpg"):
        (tmp_path / "pictures").mkdir(exist_ok=True)
        (tmp_path / "pictures" / name).write_bytes(b"")
    upload = tmp_path / "up.jpg"
    upload.write_bytes(JPEG)
    assert add_picture(tmp_path, upload).name == "1000.jpg"
    assert [one.name for one in pictures(tmp_path)] == ["001.jpg", "999.png", "1000.jpg"]
