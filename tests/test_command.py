"""The one command: starting, being killed, starting again, ending."""

import contextlib
import csv
import json
import os
import re
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest

from tests.conftest import DEMO, ROOT, setup_text, wait_for
from tidybench.cluster import Cluster
from tidybench.core.derivation import RESTARTED
from tidybench.core.samples import channels_of, qualities_of, unpack
from tidybench.core.tape.events import Note
from tidybench.runs.csv_files import csv_files
from tidybench.runs.folder import run_folders
from tidybench.runs.run_state import read_state
from tidybench.runs.seal import verify
from tidybench.runs.tape import read_kinds
from tidybench.supervisor import listener


def tidy(*arguments: str, data: Path, source: Path = ROOT / "src") -> "subprocess.Popen[str]":
    environment = {
        **os.environ,
        "PYTHONPATH": str(source),
        "TIDY_DATA": str(data),
        "PYTHONUNBUFFERED": "1",
    }
    return subprocess.Popen(
        [sys.executable, "-m", "tidybench.cli", *arguments],
        env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, stdin=subprocess.DEVNULL,
    )  # fmt: skip


def test_the_script_hands_every_command_over() -> None:
    script = (ROOT / "tidy").read_text("utf-8")
    known = {name for cases in re.findall(r"^  ([a-z |-]+)\)$", script, re.M) for name in cases.split(" | ")}
    usage = subprocess.run([sys.executable, "-m", "tidybench.cli", "help"], env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
                           capture_output=True, text=True, check=True).stdout  # fmt: skip
    commands = set(re.findall(r"^    ([a-z-]+)  ", usage, re.M))
    assert {"up", "verify", "ports"} <= commands <= known | {"help"}


def address(process: "subprocess.Popen[str]") -> str:
    """The address it prints when it is ready."""
    assert process.stdout is not None
    seen = []
    for line in process.stdout:
        seen.append(line)
        if found := re.search(r"http://\S+", line):
            return found[0]
    raise AssertionError("".join(seen))


def processes_of(data: Path) -> dict[int, str]:
    """The processes that belong to a data folder."""
    found = {}
    for entry in Path("/proc").glob("[0-9]*"):
        try:
            environment = (entry / "environ").read_bytes()
            command = (entry / "cmdline").read_bytes().replace(b"\0", b" ").decode()
        except OSError:
            continue
        if f"TIDY_DATA={data}\0".encode() in environment and "tidybench." in command:
            found[int(entry.name)] = command
    return found


def get(url: str, path: str) -> httpx.Response:
    base, token = url.split("/?token=")
    return httpx.get(base + path, headers={"Authorization": f"Bearer {token}"})


def post(url: str, path: str, body: object) -> httpx.Response:
    base, token = url.split("/?token=")
    return httpx.post(base + path, json=body, headers={"Authorization": f"Bearer {token}"})


def put(url: str, path: str, body: object) -> httpx.Response:
    base, token = url.split("/?token=")
    return httpx.put(base + path, json=body, headers={"Authorization": f"Bearer {token}"})


@pytest.fixture
def data(tmp_path: Path) -> Iterator[Path]:
    folder = tmp_path / "a bench"  # with a blank in it
    yield folder
    for pid in processes_of(folder):
        os.kill(pid, signal.SIGKILL)
    if folder.exists():
        Cluster(folder, folder / "x.log").remove()


def test_demo_from_nothing_to_nothing(data: Path) -> None:
    process = tidy("demo", data=data)
    url = address(process)
    # Ready means ready: a set-up that was added right after the address was printed got 503.
    added = post(url, "/api/instruments", {"name": "At once", "link": {"port": "simulated/none"}})
    assert added.status_code == 201, added.text
    base, token = url.split("/?token=")
    gone = httpx.delete(f"{base}/api/setups/at-once", headers={"Authorization": f"Bearer {token}"})
    assert gone.status_code == 200
    wait_for(lambda: get(url, "/api/health").json()["well"], "all to be well")
    assert oct((data / "access.json").stat().st_mode)[-3:] == "600"
    assert oct((data / "database.json").stat().st_mode)[-3:] == "600"
    names = lambda: {one["name"] for one in get(url, "/api/runs").json()["runs"]}  # noqa: E731
    wait_for(lambda: "Pump 7 acceptance" in names(), "the first of the earlier runs", 60)

    second = tidy("demo", data=data)
    assert second.wait(20) == 1
    assert second.stdout is not None
    assert f"It runs already with this data folder: {url}" in second.stdout.read()

    assert len(processes_of(data)) == 4  # the supervisor and its three
    process.send_signal(signal.SIGTERM)
    assert process.wait(20) == 0
    assert processes_of(data) == {}
    assert not Cluster(data, data / "x.log").alive
    assert not list((data / "simulated").iterdir())


def test_each_process_killed_and_then_all_of_them(data: Path) -> None:
    process = tidy("demo", data=data)
    url = address(process)
    wait_for(lambda: get(url, "/api/health").json()["well"], "all to be well")
    wait_for(lambda: get(url, "/api/bench").json()["status"]["channels"], "the set-ups to be in force")
    run = post(url, "/api/run", {"name": "Endurance"}).json()

    def rows() -> int:
        try:
            status = get(url, "/api/bench").json()
        except httpx.HTTPError:
            return 0
        return (
            int(status["status"]["run"]["rows"])
            if status["kind"] == "status" and status["status"]["run"]
            else 0
        )

    wait_for(lambda: rows() > 5, "rows")
    for name in ("recorder", "web", "standins"):
        before = rows()
        [pid] = [pid for pid, command in processes_of(data).items() if f"tidybench.{name}" in command]
        os.kill(pid, signal.SIGKILL)
        wait_for(lambda b=before: rows() > b + 10, f"the run to go on without its {name}", 30)  # type: ignore[misc]
    [postgres] = [p for p in [listener(_database_port(data))] if p]
    os.kill(postgres.pid, signal.SIGKILL)
    wait_for(lambda: get(url, "/api/runs").status_code == 200, "the database to be back", 30)

    # Now the supervisor, in mid-run, and with it everything else.
    process.kill()
    process.wait()
    wait_for(lambda: not processes_of(data), "its children to notice", 10)
    folder = next(f for f in run_folders(data / "runs") if read_state(f).id == run["id"])
    assert read_state(folder).status == "interrupted"

    again = tidy("demo", data=data)
    url = address(again)
    wait_for(lambda: get(url, f"/api/runs/{run['id']}").json().get("complete"), "the records", 30)
    detail = get(url, f"/api/runs/{run['id']}").json()
    assert detail["status"] == "interrupted"
    assert detail["samples"] == (folder / "samples.bin").stat().st_size // 24
    again.send_signal(signal.SIGINT)
    assert again.wait(20) == 0
    assert processes_of(data) == {}


def test_a_plan_that_carries_on_survives_two_kills_of_everything(data: Path) -> None:
    """Everything at once, PostgreSQL too; started again it goes on, and ends by its plan."""
    process = tidy("demo", data=data)
    url = address(process)
    wait_for(lambda: get(url, "/api/health").json()["well"], "all to be well")
    wait_for(lambda: get(url, "/api/bench").json()["status"]["channels"], "the set-ups to be in force")
    plan = {
        "name": "Wear test", "carry_on": True, "ends": {"rows": 100_000}, "row_rule": {"kind": "each reading", "file_mb": 0.02}
    }  # fmt: skip
    run = post(url, "/api/run", plan).json()
    folder = Path(run["folder"])

    def status() -> dict[str, Any]:
        try:
            return dict(get(url, "/api/bench").json().get("status", {}).get("run") or {})
        except httpx.HTTPError:
            return {}

    for _ in range(2):
        before = int(status().get("rows", 0))
        wait_for(lambda b=before: status().get("rows", 0) > b + 40, "rows", 30)  # type: ignore[misc]
        port = _database_port(data)
        postgres = listener(port)
        assert postgres is not None
        for pid in (process.pid, *processes_of(data), postgres.pid):
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
        process.wait()
        wait_for(lambda: not processes_of(data), "all to be gone")
        wait_for(lambda p=port: listener(p) is None, "PostgreSQL to be gone")  # type: ignore[misc]
        assert read_state(folder).status == "logging"
        process = tidy("demo", data=data)
        url = address(process)
        wait_for(lambda: status().get("id") == run["id"] and not status()["troubles"], "it to go on", 40)
    soon = {"rows": status()["rows"] + 60}
    assert put(url, "/api/run/ends", {"run": run["id"], "ends": soon}).status_code == 200
    wait_for(lambda: (folder / "manifest.json").exists(), "its end and its seal", 40)
    assert verify(folder).problems == []
    state = read_state(folder)
    assert state.reason == f"ended by its plan: {soon['rows']} rows"
    told = [event for _, _, event in read_kinds(folder / "tape", "note") if isinstance(event, Note)]
    assert [note.what for note in told].count(RESTARTED) == 2
    rows = [row for path in csv_files(folder, state.csv) for row in csv.DictReader(path.open(newline=""))]
    assert len(rows) == soon["rows"]
    # Every value of the CSV is a sample, in order; and every sample of its channels is in the CSV.
    records = unpack((folder / "samples.bin").read_bytes())
    for channel in ("loop-flow", "motor-input"):
        mine = records[channels_of(records) == state.numbers[channel]]
        title = next(one.title for one in state.channels if one.id == channel)
        logged = [float(row[title]) for row in rows if row[title]]
        good = mine["value"][qualities_of(mine) <= 1].tolist()
        assert len(logged) > 8  # how many of the rows are of this channel is chance; none would prove nothing
        assert logged == pytest.approx(good[: len(logged)], rel=1e-12)
        assert len(good) - len(logged) < 30  # measured behind the last row
    wait_for(lambda: get(url, f"/api/runs/{run['id']}").json().get("complete"), "the records", 30)
    assert get(url, f"/api/runs/{run['id']}").json()["samples"] == len(records)
    process.send_signal(signal.SIGINT)
    assert process.wait(20) == 0


def _database_port(data: Path) -> int:
    cluster = Cluster(data, data / "x.log")
    return int((cluster.folder / "postmaster.pid").read_text().splitlines()[3])


def test_a_start_that_is_killed_half_way_does_not_spoil_the_next(data: Path) -> None:
    for patience in (0.3, 0.8, 1.3):
        process = tidy("up", data=data)
        time.sleep(patience)  # wherever it has come to
        process.kill()
        process.wait()
    process = tidy("up", data=data)
    url = address(process)
    health = get(url, "/api/health").json()
    assert health["recorder"]["well"]
    assert health["database"]["well"]
    process.terminate()
    assert process.wait(20) == 0


def test_a_taken_port_is_said_with_its_holder(data: Path) -> None:
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        other.listen()
        port = other.getsockname()[1]
        process = tidy("up", "--port", str(port), data=data)
        assert process.wait(20) == 1
        assert process.stdout is not None
        said = process.stdout.read()
    assert f"Port {port} is taken by " in said
    assert f"(process {os.getpid()})" in said
    assert "Traceback" not in said


@pytest.mark.parametrize("port", ["0", "70000", "x", "-1", "８４７０"])
def test_nonsense_for_a_port(port: str, data: Path) -> None:
    process = tidy("up", "--port", port, data=data)
    assert process.wait(20) == 2
    assert process.stdout is not None
    assert "Traceback" not in process.stdout.read()


def test_check_says_what_is_wrong(tmp_path: Path) -> None:
    def check(path: Path) -> tuple[int, str]:
        process = tidy("check", str(path), data=tmp_path)
        said = process.communicate()[0]
        assert "Traceback" not in said
        return process.returncode, said

    code, said = check(DEMO / "loop-flow-meter.setup.toml")
    assert (code, "a good set-up of Loop flow meter (9600 8-N-1): Loop flow" in said) == (0, True)
    bad = tmp_path / "bad.setup.toml"
    bad.write_text(setup_text("loop-flow-meter").replace("baud", "bawd"))
    code, said = check(bad)
    assert (code, "Line 11, link.bawd: there is no such key" in said) == (1, True)
    bad.write_bytes(b"\xff\xfe\x00")
    assert check(bad)[0] == 1
    assert check(tmp_path / "none.toml")[0] == 2
    assert check(tmp_path)[0] == 2


def test_the_script_explains_itself() -> None:
    script = ROOT / "tidy"
    helped = subprocess.run([script, "help"], capture_output=True, text=True, check=True)
    for word in ("demo", "up", "check", "test", "measure", "address", "TIDY_DATA"):
        assert word in helped.stdout
    wrong = subprocess.run([script, "dmeo"], capture_output=True, text=True)
    assert wrong.returncode == 1
    assert "there is no command “dmeo”" in wrong.stderr


def test_the_published_schema_takes_the_demo_s_set_ups() -> None:
    published = json.loads((ROOT / "docs/formats/set-up.schema.json").read_text("utf-8"))
    assert set(published["properties"]) == {
        "format",
        "instrument",
        "link",
        "framing",
        "identity",
        "start",
        "release",
        "query",
        "listen",
        "modbus",
        "channel",
        "command",
        "curve",
        "error_queue",
        "safe",
    }
