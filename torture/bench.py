"""A whole Tidy Bench on a small disk of its own, with ten stand-ins and three scripted peers in this process."""

import contextlib
import errno
import json
import mmap
import os
import random
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import httpx
import psycopg

from tidybench.cluster import free_port
from tidybench.standins.device import Device
from tidybench.standins.instruments import ALL, LoopBackPlug
from tidybench.standins.loop import Loop
from tidybench.wire.places import Places
from torture.peers import (
    ASKED,
    PEERS,
    PROCEDURE,
    REACTIONS,
    SWEEP,
    SWITCH,
    TALKING,
    AskedPeer,
    CountingPeer,
    SwitchPeer,
)

ROOT = Path(__file__).resolve().parents[1]
SETUPS = ROOT / "src" / "tidybench" / "setups"
CALCULATIONS = SETUPS / "demo" / "calculated.toml"
DISK_MB = 700
PROCESSES = {"recorder": "tidybench.recorder", "web": "tidybench.web", "database": "bin/postgres"}
"""Those that the supervisor starts, by a word of their commands."""


MOST_COMMANDS = 5000
"""That a procedure gives."""


class TortureError(Exception):
    """The bench does not do what it must: a sentence."""


def wait_for(condition: Callable[[], object], what: str, seconds: float = 60.0) -> None:
    """Until it holds. Raises TortureError."""
    until = time.monotonic() + seconds
    while not condition():
        if time.monotonic() > until:
            raise TortureError(f"waited {seconds:.0f} s for {what}")
        time.sleep(0.05)


class TorturedBench:
    """Starts it, asks it, breaks it. `small`: its folder is a disk of its own."""

    def __init__(self, data: Path, small: bool) -> None:
        self.places, self.small = Places(data), small
        self.places.make()
        self.places.simulated.mkdir(exist_ok=True)
        self.synced = data.parent / "synced.jsonl"
        wrong = data.parent / "computer"
        wrong.write_bytes(bytes(24))
        with open(wrong, "r+b") as file:
            self._computer = memoryview(mmap.mmap(file.fileno(), 24)).cast("q")
        self.port = free_port()
        self._next_command = 1
        self.acted = False  # in this round
        self.handed, self._handed = data.parent / "handed", 0
        self.handed.mkdir()
        self.supervisor: subprocess.Popen[bytes] | None = None
        loop = Loop()
        kinds: list[type[Device]] = [kind for kind in ALL if kind is not LoopBackPlug]
        kinds += [*PEERS.values(), SwitchPeer]
        self.devices: dict[str, Device] = {kind.name: kind(self.places.simulated, loop) for kind in kinds}
        self.switched.now = self.obeying.now = lambda: (time.time_ns() + self._computer[0]) // 1000
        for device in self.devices.values():
            device.start()
        self.texts = {path.name.split(".")[0]: path.read_text("utf-8") for path in self._files()}
        self.texts |= {"asked-peer": ASKED, "talking-peer": TALKING, "switch-peer": SWITCH}
        folder = self.places.setups
        folder.mkdir(exist_ok=True)
        for key, text in self.texts.items():
            (folder / f"{key}.setup.toml").write_text(text, "utf-8")
        (folder / "reactions.toml").write_text(REACTIONS, "utf-8")
        (folder / CALCULATIONS.name).write_bytes(CALCULATIONS.read_bytes())

    def _files(self) -> list[Path]:
        """Set-ups of the stand-ins that are here."""
        files = [*(SETUPS / "demo").glob("*.setup.toml"), *(SETUPS / "library").glob("*.setup.toml")]
        ports = [f"simulated/{name}" for name in self.devices]
        return [path for path in files if any(f'"{port}' in path.read_text("utf-8") for port in ports)]

    def peer(self, channel: str) -> CountingPeer:
        """The one whose numbers are in a channel."""
        found = self.devices[PEERS[channel].name]
        assert isinstance(found, CountingPeer)
        return found

    @property
    def obeying(self) -> AskedPeer:
        """The one that takes commands."""
        found = self.devices[AskedPeer.name]
        assert isinstance(found, AskedPeer)
        return found

    @property
    def switched(self) -> SwitchPeer:
        """The one that reactions give commands to."""
        found = self.devices[SwitchPeer.name]
        assert isinstance(found, SwitchPeer)
        return found

    # ---- processes

    def start(self) -> None:
        """Start it, and wait until it answers. Raises TortureError."""
        environment = {
            **os.environ,
            "TIDY_DATA": str(self.places.data),
            "PYTHONPATH": f"{ROOT / 'torture' / 'synced'}:{ROOT / 'src'}",
            "TIDY_SYNCED": str(self.synced),
            "TIDY_COMPUTER": str(self.synced.with_name("computer")),
        }
        self.supervisor = subprocess.Popen(
            self._up(), env=environment, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.STDOUT
        )  # fmt: skip
        assert self.supervisor.stdout is not None
        said = b""
        for line in self.supervisor.stdout:
            said += line
            if b"token=" in line:
                break
        else:
            raise TortureError(f"it did not start: {said.decode(errors='replace')}")
        wait_for(self._well, "the bench to be well")
        with contextlib.suppress(TortureError):  # one that a trouble keeps from it does so by itself
            wait_for(lambda: self.passing(list(self.devices)), "all to pass", 10)

    def _up(self) -> list[str]:
        return [sys.executable, "-m", "tidybench.cli", "up", "--port", str(self.port)]

    def start_again_beside(self) -> bool:
        """Whether a second start with the same folder is refused."""
        environment = {**os.environ, "TIDY_DATA": str(self.places.data), "PYTHONPATH": str(ROOT / "src")}
        done = subprocess.run(self._up(), env=environment, capture_output=True, timeout=60, check=False)
        return done.returncode == 1 and b"runs already" in done.stderr

    def _well(self) -> bool:
        with contextlib.suppress(httpx.HTTPError, KeyError, ValueError):
            health = self.get("/api/health").json()
            return bool(health["recorder"]["well"] and health["database"]["well"])
        return False

    def pid(self, name: str) -> int:
        """The process of this name, 0 where there is none."""
        supervisor = self.supervisor.pid if self.supervisor is not None else 0
        for path in Path("/proc").glob("[0-9]*/stat"):
            with contextlib.suppress(OSError, IndexError):
                command = (path.parent / "cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")
                parent = int(path.read_text().rpartition(")")[2].split()[1])
                if PROCESSES[name] in command and parent == supervisor:
                    return int(path.parent.name)
        return 0

    def signal(self, name: str, number: signal.Signals) -> None:
        """Send a process a signal, and its children too."""
        pid = self.pid(name)
        if not pid:
            return
        children = []
        with contextlib.suppress(OSError):
            children = [int(one) for one in Path(f"/proc/{pid}/task/{pid}/children").read_text().split()]
        for one in (pid, *(children if name == "database" else ())):
            with contextlib.suppress(ProcessLookupError):
                os.kill(one, number)

    def kill_all(self) -> None:
        """Everything at once, as a power cut would."""
        pids = [self.pid(name) for name in PROCESSES]
        assert self.supervisor is not None
        for pid in (self.supervisor.pid, *filter(None, pids)):
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
        self.supervisor.wait()
        wait_for(lambda: not any(_there(pid) for pid in pids), "the killed to be gone", 20)
        self.supervisor = None

    def database_url(self) -> str:
        """The address of the records."""
        environment = Path(f"/proc/{self.pid('web')}/environ").read_bytes().split(b"\0")
        (found,) = (one.partition(b"=")[2] for one in environment if one.startswith(b"TIDY_DATABASE_URL="))
        return found.decode()

    def close(self) -> None:
        """End it in order."""
        if self.supervisor is not None:
            self.supervisor.terminate()
            with contextlib.suppress(subprocess.TimeoutExpired):
                self.supervisor.wait(30)
            if self.supervisor.poll() is None:
                self.kill_all()
        for device in self.devices.values():
            device.stop()

    # ---- what acts

    def act(self, *, sweep: bool = False) -> None:
        """Have a procedure give commands to the asked peer, with numbers that nobody had before; `sweep`: and draw a curve of what it says."""
        first = self._next_command
        self._next_command += MOST_COMMANDS
        text = (SWEEP if sweep else PROCEDURE).format(first=first, last=first + MOST_COMMANDS - 1)
        if self.post("/api/procedure/start", {"text": text, "by": "torture"}).status_code == 204:
            self.acted = True

    def stop_acting(self) -> bool:
        """Whether no procedure is carried out any more; those that are, are stopped."""
        with contextlib.suppress(httpx.HTTPError, ValueError):
            going_on = [one for one in self.get("/api/procedure").json() if one["state"] != "ended"]
            for one in going_on:
                self.post("/api/procedure/stop", {"id": one["id"], "by": "torture"})
            return not going_on
        return False

    def take_point(self, name: str) -> None:
        """Have both peers averaged for a second, once they have been steady for a moment; it is refused where one is being taken."""
        channels = {"asked-n": {}, "talking-n": {"band": 1e9}}
        rule = {"channels": channels, "steady_s": 0.3, "average_s": 1.0, "give_up_s": 5.0}
        self.post("/api/run/points", {"name": name, "rule": rule})

    def capture(self, name: str) -> None:
        """Take some of the talking peer's numbers, about its level's rise; it is refused where eight wait."""
        trigger = {"kind": "level", "channel": "talking-level", "level": 10.0}
        order = {"channels": ["talking-n", "talking-level"], "samples": 20, "before": 8, "times": 2}
        self.post("/api/captures", {"name": name, "trigger": trigger, **order})

    def hand_on(self) -> None:
        """From now on the talking peer's numbers go into a file too, from its beginning."""
        answer = self.get("/api/forwarding")
        if answer.status_code != 200:
            return  # the records are away
        was = answer.json()["text"]
        self._handed += 1
        to = {"kind": "file", "path": str(self.handed / f"{self._handed}.txt")}
        one = {
            "id": "file",
            "name": "File",
            "channels": ["talking-n"],
            "missing": "leave out",
            "pattern": "<talking_n>\n",
            "to": to,
        }
        self.with_client("PUT", "/api/forwarding", {"destinations": {"destination": [one]}, "was": was})

    def empty_database(self) -> None:
        """Take all records away beneath the web server."""
        with contextlib.suppress(psycopg.Error, OSError, ValueError):
            url = self.database_url().replace("+psycopg", "")
            with psycopg.connect(url, autocommit=True, connect_timeout=2) as connection:
                connection.execute("SET lock_timeout = '2s'")
                connection.execute("DROP SCHEMA public CASCADE")
                connection.execute("CREATE SCHEMA public")

    # ---- asking it

    def _client(self) -> httpx.Client:
        token = json.loads(self.places.access.read_text())["token"]
        headers = {"Authorization": f"Bearer {token}"}
        return httpx.Client(base_url=f"http://127.0.0.1:{self.port}", headers=headers, timeout=20)

    def get(self, path: str) -> httpx.Response:
        """Ask. Raises httpx.HTTPError."""
        with self._client() as client:
            return client.get(path)

    def post(self, path: str, body: object) -> httpx.Response:
        """Order. Raises httpx.HTTPError."""
        with self._client() as client:
            return client.post(path, json=body)

    def with_client(self, method: str, path: str, body: object) -> httpx.Response:
        """Order by another method. Raises httpx.HTTPError."""
        with self._client() as client:
            return client.request(method, path, json=body)

    def status(self) -> dict[str, Any]:
        """How the bench stands; {} where it does not answer."""
        with contextlib.suppress(httpx.HTTPError, KeyError, ValueError):
            return dict(self.get("/api/bench").json()["status"] or {})
        return {}

    def passing(self, keys: list[str]) -> bool:
        """Whether these instruments are read."""
        stages = {
            one["id"]: {stage["state"] for stage in one["stages"]}
            for one in self.status().get("instruments", ())
        }
        return all(stages.get(key) and stages[key] <= {"passing", "losses"} for key in keys)

    def stands(self, keys: list[str]) -> str:
        """How these instruments stand, in words."""
        stages = [
            f"{one['id']}: {stage['name']} {stage['state']}, {stage['sentence']}"
            for one in self.status().get("instruments", ())
            for stage in one["stages"]
            if one["id"] in keys and stage["state"] != "passing"
        ]
        return "; ".join(stages)

    # ---- breaking it

    def move_clock(self, by: float) -> None:
        """The computer's clock is set: so many seconds later, or earlier."""
        self._computer[0] += round(by * 1e9)

    def slow_disk(self, seconds: float) -> None:
        """From now on an fsync takes so much longer."""
        self._computer[1] = round(seconds * 1e6)

    def failing_disk(self, fails: bool) -> None:
        """From now on an fsync ends with an input/output error."""
        self._computer[2] = errno.EIO if fails else 0

    def synced_sizes(self, folder: Path) -> dict[str, int]:
        """How many bytes of each file of a folder are on the disk for certain."""
        certain: dict[int, int] = {}
        for line in self.synced.read_bytes().splitlines():
            with contextlib.suppress(ValueError):
                inode, size = json.loads(line)
                certain[inode] = size
        files = [path for path in folder.rglob("*") if path.is_file()]
        return {str(path): certain.get(path.stat().st_ino, 0) for path in files}

    def cut_power(self, dice: random.Random, folder: Path) -> dict[str, tuple[int, int]]:
        """What a power cut may leave of a run's files: of each, what was not synced is cut off or zeros from somewhere on. Gives what was done:
        by file, from where and how long it was."""
        certain = self.synced_sizes(folder)
        done = {}
        for path in sorted(folder.rglob("*")):
            if not path.is_file():
                continue
            size, sure = path.stat().st_size, certain.get(str(path), 0)
            if size <= sure:
                continue
            start = dice.randint(sure, size)
            if dice.random() < 0.5:
                os.truncate(path, start)
            else:
                with open(path, "r+b") as file:
                    file.seek(start)
                    file.write(bytes(size - start))
            done[str(path.relative_to(folder))] = start, size
        return done


def _there(pid: int) -> bool:
    try:
        return bool(pid) and Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except (OSError, IndexError):
        return False
