"""A disk that is really full (a small tmpfs): what is said and kept after a run's end waits, in words, and nothing is half written."""

from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from tests.conftest import Server, wait_for
from tests.small_disk import fill, small_disk
from tests.web.test_after_the_end import listed, logged


@pytest.fixture
def small(tmp_path: Path, database_url: str, monkeypatch: pytest.MonkeyPatch) -> Iterator[Server]:
    """A bench whose folder is a disk of 64 MB."""
    with small_disk(tmp_path / "data", 64) as data:
        monkeypatch.setenv("TIDY_DATA", str(data))
        server = Server(data, database_url)
        try:
            yield server
        finally:
            server.close()


def files_of(folder: Path) -> dict[str, bytes]:
    return {str(p.relative_to(folder)): p.read_bytes() for p in sorted(folder.rglob("*")) if p.is_file()}


def test_what_is_kept_after_a_run_waits_for_room(small: Server) -> None:
    run, other = logged(small, "On a full disk"), logged(small, "Beside it")
    folder, address = Path(run["folder"]), f"/api/runs/{run['id']}"
    said = {name: run[name] for name in ("name", "item", "operator", "order", "notes", "fields")}
    channel = run["numbers"][0]["id"]
    stretch = {"channel": channel, "start": run["begun_at"], "end": run["ended_at"]}
    members = [{"run": one["id"], "at": one["begun_at"]} for one in (run, other)]
    kept = {"members": members, **stretch, "answers": [], "by": "N", "note": ""}
    small.post("/api/runs/bin", {"runs": [other["id"]]})

    def asked() -> dict[str, httpx.Response]:
        return {
            "correct": small.patch(f"{address}/said", {"said": said | {"item": "P7"}, "before": said}),
            "mark": small.post(f"{address}/marks", {"at": run["begun_at"] + 1000, "text": "later", "by": ""}),
            "question": small.post(f"{address}/answers", {"question": stretch | {"kind": "slope"}, "by": ""}),
            "comparison": small.post(f"{address}/comparisons", kept),
            "rule": small.put("/api/disk/rule", {"tapes_after_days": 30, "bin_after_days": 30}),
            "bin": small.post("/api/runs/bin", {"runs": [run["id"]]}),
            "restore": small.post("/api/runs/restore", {"runs": [other["id"]]}),
        }

    before = files_of(folder)
    filled = fill(small.places.data)
    for what, answer in asked().items():
        if what == "bin":
            (trouble,) = answer.json()["troubles"]
            assert "No space left" in trouble
        elif what == "restore":  # its line fits in what its file has taken already
            assert answer.json()["done"] == [other["id"]]
        else:
            assert answer.status_code == 507, (what, answer.text)
            assert "No space left" in answer.json()["detail"], what
    assert run["id"] in listed(small)
    assert listed(small, removed=True) == []
    # What only reads goes on: the page, its curves, statistics, the report, what the disk holds.
    for path in (address, f"{address}/trend", f"{address}/report", "/api/disk", f"{address}/said/history"):
        assert small.get(path).status_code == 200, path
    assert small.get(f"{address}/comparisons").json() == []
    filled.unlink()
    assert {name: data for name, data in files_of(folder).items() if data} == before
    good = asked()
    assert {what: answer.status_code // 100 for what, answer in good.items()} == dict.fromkeys(good, 2)
    assert (good["bin"].json()["troubles"], good["restore"].json()["troubles"]) == ([], [])
    assert len(small.get(f"{address}/comparisons").json()) == 1
    assert small.post(f"{address}/verify", {}).json()["problems"] == []
    # Deleting makes room where there is none.
    fill(small.places.data)
    assert small.post("/api/runs/delete", {"runs": [run["id"]]}).json()["done"] == [run["id"]]
    wait_for(lambda: not folder.exists(), "its files")
