"""Runs after their end over the web: corrected, in the bin and out of it, deleted, and what the disk holds."""

import shutil
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

from sqlalchemy import Engine, create_engine, text

from tests.conftest import Server, wait_for
from tidybench.core.values.crossing import Crossing
from tidybench.runs.crossings import CROSSINGS, HEAD, crossing_row


def logged(server: Server, name: str) -> dict[str, Any]:
    """A run of a few rows, in the records and sealed."""
    server.end_any_run()
    wait_for(server.recorder.all_passing, "the instruments")
    run = server.post("/api/run", {"name": name, "row_rule": {"kind": "each reading"}}).json()
    wait_for(lambda: server.recorder.status().run.rows > 5, "rows")  # type: ignore[union-attr]
    server.post("/api/run/end", {"run": run["id"]})
    wait_for(lambda: server.get(f"/api/runs/{run['id']}").json().get("complete"), "the records")
    found: dict[str, Any] = server.get(f"/api/runs/{run['id']}").json()
    wait_for(lambda: (Path(found["folder"]) / "manifest.json").exists(), "the seal")
    return found


def engine_of(server: Server) -> Engine:
    return create_engine(server.database_url)


def listed(server: Server, **query: Any) -> list[str]:
    return [one["id"] for one in server.get("/api/runs?" + urlencode({**query, "limit": 200})).json()["runs"]]


def test_what_is_said_is_corrected_and_found_by(server: Server) -> None:
    run = logged(server, "Wrng name")
    before = {name: run[name] for name in ("name", "item", "operator", "order", "notes", "fields")}
    now = before | {"name": "Right name", "item": "P7-9183", "fields": {"Rig": "north"}}
    body = {"said": now, "before": before, "by": "N", "why": "misspelt"}
    assert server.patch(f"/api/runs/{run['id']}/said", body).json() == now
    for words in ("Right", "p7-9183", "north", "Right P7-9183"):
        assert run["id"] in listed(server, search=words)
    assert run["id"] not in listed(server, search="Wrng")
    detail = server.get(f"/api/runs/{run['id']}").json()
    assert {name: detail[name] for name in now} == now
    answer = server.patch(f"/api/runs/{run['id']}/said", body | {"said": before | {"item": "other"}})
    assert answer.status_code == 409
    assert "“Right name” now" in answer.json()["detail"]
    (change,) = server.get(f"/api/runs/{run['id']}/said/history").json()
    assert (change["before"], change["said"], change["by"], change["why"]) == (before, now, "N", "misspelt")
    assert server.get(f"/api/runs/{run['id']}/plan").json()["item"] == "P7-9183"
    assert server.post(f"/api/runs/{run['id']}/verify", {}).json()["problems"] == []
    # Another web server, with records that know nothing of it, has it from the folder.
    with engine_of(server).begin() as connection:
        connection.execute(
            text("UPDATE run SET name = 'Wrng name', item = '' WHERE id = :id"), {"id": run["id"]}
        )
    server.kill_web()
    server.start_web()
    wait_for(lambda: run["id"] in listed(server, search="Right"), "the records")


def test_a_run_in_the_bin_is_not_listed_until_it_is_restored_and_gone_when_it_is_deleted(
    server: Server,
) -> None:
    run, other = logged(server, "To the bin"), logged(server, "Stays")
    folder = Path(run["folder"])
    assert server.post("/api/runs/delete", {"runs": [run["id"]]}).json()["troubles"] == [
        "To the bin: It is not in the bin: put it there first."
    ]
    unknown = "00000000-0000-0000-0000-000000000000"
    answer = server.post("/api/runs/bin", {"runs": [run["id"], unknown], "by": "N"}).json()
    assert answer == {"done": [run["id"]], "troubles": ["A run is not in the logbook any more."]}
    assert run["id"] not in listed(server)
    assert other["id"] in listed(server)
    assert listed(server, removed=True) == [run["id"]]
    assert server.post("/api/runs/restore", {"runs": [run["id"]]}).json()["done"] == [run["id"]]
    assert run["id"] in listed(server)
    assert listed(server, removed=True) == []
    server.post("/api/runs/bin", {"runs": [run["id"]]})
    assert server.post("/api/runs/delete", {"runs": [run["id"]]}).json()["done"] == [run["id"]]
    assert not folder.exists()
    assert server.get(f"/api/runs/{run['id']}").status_code == 404
    wait_for(lambda: not list((folder.parent.parent / ".deleted").iterdir()), "its files")
    with engine_of(server).connect() as connection:
        for table in ("sample_block", "summary", "mark", "run_channel"):
            count = connection.scalar(
                text(f"SELECT count(*) FROM {table} WHERE run_id = :id"), {"id": run["id"]}
            )
            assert count == 0, table
    assert server.get(f"/api/runs/{other['id']}").json()["gone"] is False


def test_a_folder_that_is_gone_says_so_and_one_that_comes_back_is_there(
    server: Server, tmp_path: Path
) -> None:
    run = logged(server, "Carried away")
    folder = Path(run["folder"])
    shutil.move(folder, tmp_path / "elsewhere")
    (row,) = (one for one in server.get("/api/runs").json()["runs"] if one["id"] == run["id"])
    assert row["gone"] is True
    said = {name: run[name] for name in ("name", "item", "operator", "order", "notes", "fields")}
    answer = server.patch(f"/api/runs/{run['id']}/said", {"said": said | {"item": "x"}, "before": said})
    assert answer.status_code == 404
    assert "not where it was" in answer.json()["detail"]
    shutil.move(tmp_path / "elsewhere", folder)
    assert server.get(f"/api/runs/{run['id']}").json()["gone"] is False
    # One that was copied in from another computer appears by itself.
    other = folder.parent.parent / "2026-01-01" / folder.name
    other.parent.mkdir()
    shutil.move(folder, other)
    wait_for(lambda: server.get(f"/api/runs/{run['id']}").json()["folder"] == str(other), "the clerk")
    # And one that is gone for good can be taken off the list.
    shutil.rmtree(other)
    server.post("/api/runs/bin", {"runs": [run["id"]]})
    assert server.post("/api/runs/delete", {"runs": [run["id"]]}).json()["done"] == [run["id"]]
    assert server.get(f"/api/runs/{run['id']}").status_code == 404


def test_the_disk_is_told_as_it_is_and_old_tapes_are_named_before_they_go(server: Server) -> None:
    run = logged(server, "Old one")
    folder = Path(run["folder"])

    def on_disk(place: Path) -> int:
        return sum(path.stat().st_size for path in place.rglob("*") if path.is_file())

    use = server.get("/api/disk").json()
    (mine,) = (one for one in use["largest"] if one["id"] == run["id"])
    assert mine["tape_bytes"] == on_disk(folder / "tape")
    assert abs(mine["bytes"] - on_disk(folder)) < 50_000  # the seal may have come later
    assert use["tape_bytes"] == sum(one["tape_bytes"] for one in use["ages"])
    assert use["rule"] == {"tapes_after_days": None, "bin_after_days": None}
    assert server.get("/api/disk/due").json() == {"tapes": [], "bin": []}
    assert server.put("/api/disk/rule", {"tapes_after_days": 0}).status_code == 422
    server.put("/api/disk/rule", {"tapes_after_days": 90, "bin_after_days": 30})
    assert server.get("/api/disk/due").json() == {"tapes": [], "bin": []}
    with engine_of(server).begin() as connection:
        connection.execute(
            text("UPDATE run SET ended_at = ended_at - 91 * 86400000000 WHERE id = :id"), {"id": run["id"]}
        )
    due = server.get("/api/disk/due").json()
    assert [one["id"] for one in due["tapes"]] == [run["id"]]
    freed = server.post(f"/api/runs/{run['id']}/tape/take-out", {"by": "N"}).json()["bytes"]
    assert freed == mine["tape_bytes"]
    assert on_disk(folder / "tape") == 0
    assert server.get("/api/disk/due").json()["tapes"] == []
    assert server.post(f"/api/runs/{run['id']}/tape/take-out", {}).status_code == 409
    detail = server.get(f"/api/runs/{run['id']}").json()
    assert "taken out on" in detail["taken_out"]
    assert detail["bytes"] == on_disk(folder)
    assert server.post(f"/api/runs/{run['id']}/verify", {}).json()["problems"] == []


def test_more_crossings_than_a_page_is_given_are_counted(server: Server) -> None:
    """500 were read, and told as if they were all."""
    run = logged(server, "Chatters")
    folder, begun = Path(run["folder"]), run["begun_at"]
    flow, power = (one["name"] for one in run["numbers"][:2])
    rows = [
        Crossing(begun + n, 0, "high" if n % 2 else "within", "", 1.0, 0.5, flow if n < 2400 else power)
        for n in range(2500)
    ]
    (folder / CROSSINGS).write_text(HEAD + "".join(crossing_row(one, begun) for one in rows))
    detail = server.get(f"/api/runs/{run['id']}").json()
    assert (len(detail["crossings"]), detail["crossings_in_all"]) == (2000, 2500)
    answer = server.post(f"/api/runs/{run['id']}/alignment", {"by": "crossing", "text": power}).json()
    assert answer["at"] == begun + 2401
