"""A database that is stopped and started: runs go on, the records catch up."""

import os
import signal
import time
import uuid
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from functools import partial
from pathlib import Path

import httpx
import pytest

from tests.conftest import Server, fresh_database, wait_for
from tidybench.cluster import Cluster
from tidybench.supervisor import listener


def test_a_stopped_database(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("TIDY_DATA", str(tmp_path / "data"))
    (tmp_path / "pg").mkdir()
    cluster = Cluster(tmp_path / "pg", tmp_path / "postgres.log")
    cluster.start()
    server = Server(tmp_path / "data", cluster.url)
    try:
        wait_for(server.recorder.all_passing, "the instruments")
        run = server.post("/api/run", {"name": "Goes on"}).json()
        cluster.stop()
        wait_for(lambda: not server.get("/api/health").json()["database"]["well"], "it to be missed")
        answer = server.get("/api/runs")
        assert answer.status_code == 503
        assert "The database does not answer" in answer.json()["detail"]
        assert server.post("/api/run/marks", {"text": "without records"}).status_code == 201
        assert server.post("/api/run/end", {"run": run["id"]}).status_code == 204
        cluster.start(cluster.port)
        wait_for(lambda: server.get(f"/api/runs/{run['id']}").json().get("complete"), "the records", 30)
        detail = server.get(f"/api/runs/{run['id']}").json()
        assert detail["marks"][0]["text"] == "without records"
        assert detail["samples"] == os.path.getsize(Path(detail["folder"]) / "samples.bin") // 24
    finally:
        server.close()
        cluster.remove()


def test_a_database_that_hangs_hangs_nothing_else(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Stopped with SIGSTOP it takes connections and says nothing: every request is answered within 5 s."""
    monkeypatch.setenv("TIDY_DATA", str(tmp_path / "data"))
    (tmp_path / "pg").mkdir()
    cluster = Cluster(tmp_path / "pg", tmp_path / "postgres.log")
    cluster.start()
    server = Server(tmp_path / "data", cluster.url)
    postgres = _family(int((cluster.folder / "postmaster.pid").read_text().split()[0]))
    try:
        wait_for(server.recorder.all_passing, "the instruments")
        for pid in postgres:
            os.kill(pid, signal.SIGSTOP)
        began = time.monotonic()
        assert server.get("/api/runs").status_code == 503
        assert time.monotonic() - began < 5  # over a connection that was open before, too
        with ThreadPoolExecutor(30) as pool:
            began = time.monotonic()
            asked = ["/api/runs", "/api/calculated", "/api/setups", "/api/layouts", "/api/runs?search=x"] * 5
            answers = [*pool.map(server.get, asked)]
            took = time.monotonic() - began
            live = server.get("/api/bench")
        assert {answer.status_code for answer in answers} == {503}
        assert all("The database does not answer" in answer.json()["detail"] for answer in answers)
        assert took < 5 * (1 + len(asked) // 16)  # so many connections there are
        assert live.status_code == 200
        began = time.monotonic()
        assert server.get("/api/runs").status_code == 503
        assert time.monotonic() - began < 5
        # A run's page, comparing, the bin and what the disk holds: what reads and what changes.
        some = uuid.uuid4()
        of = {"run": str(some), "at": 0, "channel": "c"}
        reads = [
            "",
            "/trend",
            "/statistics?start=0&end=1",
            "/said/history",
            "/answers",
            "/comparisons",
            "/report",
            "/seal",
        ]
        calls: list[Callable[[], httpx.Response]] = [
            *(partial(server.get, f"/api/runs/{some}{path}") for path in reads),
            *(partial(server.get, path) for path in ("/api/disk", "/api/disk/due", "/api/runs?removed=true")),
            partial(server.post, "/api/compare", {"of": of, "start": 0, "end": 1}),
            partial(server.post, "/api/runs/sketches", {"runs": [str(some)]}),
            *(partial(server.post, f"/api/runs/{what}", {"runs": [str(some)]}) for what in ("bin", "restore", "delete")),
        ]  # fmt: skip
        with ThreadPoolExecutor(16) as pool:
            began = time.monotonic()
            answers = [*pool.map(lambda call: call(), calls)]
            took = time.monotonic() - began
        assert {answer.status_code for answer in answers} == {503}, [answer.text for answer in answers]
        assert all("The database does not answer" in answer.json()["detail"] for answer in answers)
        assert took < 10
        run = server.post("/api/run", {"name": "Goes on"}).json()
        assert server.post("/api/run/end", {"run": run["id"]}).status_code == 204
        for pid in postgres:
            os.kill(pid, signal.SIGCONT)
        wait_for(lambda: server.get("/api/runs").status_code == 200, "it to be back", 30)
    finally:
        for pid in postgres:
            with suppress(ProcessLookupError):
                os.kill(pid, signal.SIGCONT)
        server.close()
        cluster.remove()


def _family(pid: int) -> list[int]:
    children = Path(f"/proc/{pid}/task/{pid}/children").read_text().split()
    return [pid, *map(int, children)]


def test_an_empty_or_older_database_takes_no_set_up_away(
    cluster: Cluster, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Fault 16: another TIDY_DATABASE_URL, an empty database, another hostname, in mid-run too."""
    monkeypatch.setenv("TIDY_DATA", str(tmp_path / "data"))
    with fresh_database(cluster) as first, fresh_database(cluster) as second:
        server = Server(tmp_path / "data", first)
        try:
            wait_for(server.recorder.all_passing, "the instruments")
            run = server.post("/api/run", {"name": "Goes on"}).json()
            before = {one["key"]: one["text"] for one in server.get("/api/setups").json()}
            server.kill_web()
            for path in server.setups.glob("*.toml"):
                path.unlink()
            server.database_url = second
            server.start_web()
            assert {one["key"]: one["text"] for one in server.get("/api/setups").json()} == before
            assert len(server.recorder.status().instruments) == 2
            status = server.recorder.status()
            assert status.run is not None
            assert status.run.id == run["id"]
            assert status.run.counts.lost == 0  # no port was given up
            errors = [one["message"] for one in server.get("/api/health").json()["errors"]]
            assert any("did not know these set-ups" in words for words in errors)
            asked = server.get("/api/health").json()["question"]
            assert (len(asked["filled"]), asked["out_of_use"], asked["had"]) == (2, [], 0)
            assert server.post("/api/health/question", {"take": "database"}).status_code == 409  # it had none
            server.kill_web()
            server.start_web()  # a question outlives a restart
            assert server.get("/api/health").json()["question"] == asked
            assert server.post("/api/health/question", {"take": "bench"}).status_code == 204
            assert server.get("/api/health").json()["question"] is None
            assert server.post("/api/health/question", {"take": "bench"}).status_code == 404
        finally:
            server.close()


def test_a_person_says_whose_set_ups_are_right_when_a_backup_came_back(
    cluster: Cluster, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Fault 16: a database that knows less is filled, and a person is asked."""
    monkeypatch.setenv("TIDY_DATA", str(tmp_path / "data"))
    with fresh_database(cluster) as first, fresh_database(cluster) as second:
        server = Server(tmp_path / "data", first)
        try:
            wait_for(server.recorder.all_passing, "the instruments")
            both = {one["key"]: one["text"] for one in server.get("/api/setups").json()}
            gone, kept = both
            server.kill_web()
            server.database_url = second  # the backup: a copy of now
            server.start_web()
            server.post("/api/health/question", {"take": "bench"})
            server.kill_web()
            server.database_url = first
            server.start_web()
            with server.client() as client:
                assert client.delete(f"/api/setups/{gone}").status_code == 200
            newer = both[kept] + "# turned down\n"
            assert server.post("/api/setups", {"text": newer}).status_code == 201
            for path in server.setups.glob("*.toml"):
                path.unlink()
            server.kill_web()
            server.database_url = second
            server.start_web()
            assert {one["key"]: one["text"] for one in server.get("/api/setups").json()} == {kept: newer}
            asked = server.get("/api/health").json()["question"]
            assert (len(asked["filled"]), len(asked["out_of_use"]), asked["had"]) == (1, 1, 2)
            run = server.post("/api/run", {"name": "On"}).json()
            refused = server.post("/api/health/question", {"take": "database"})
            assert (refused.status_code, "A run is on" in refused.text) == (409, True)
            server.post("/api/run/end", {"run": run["id"]})
            assert server.post("/api/health/question", {"take": "database"}).status_code == 204
            assert {one["key"]: one["text"] for one in server.get("/api/setups").json()} == both
            assert {one.id for one in server.recorder.status().instruments} == set(both)
        finally:
            server.close()


def test_a_server_left_behind_is_adopted(tmp_path: Path) -> None:
    first = Cluster(tmp_path, tmp_path / "postgres.log")
    first.start()
    try:
        second = Cluster(tmp_path, tmp_path / "postgres.log")
        second.start()  # its supervisor was killed; the server was not
        assert second.port == first.port
        holder = listener(first.port)
        assert holder is not None
        assert "postgres" in holder.name
        second.stop()
        wait_for(lambda: not first.alive, "the server to end")
    finally:
        first.remove()
    password = tmp_path / "database.json"
    assert not password.exists()
