"""A database that is stopped and started: runs go on, the records catch up."""

import os
from pathlib import Path

import pytest

from tests.conftest import Server, wait_for
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
