"""What many tests need: set-ups, a bench in a folder of its own, a PostgreSQL of the tests' own."""

import contextlib
import json
import os
import signal
import subprocess
import sys
import time
import uuid
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import ClassVar, TypeVar

import httpx
import pytest
from hypothesis import HealthCheck, settings
from sqlalchemy import Engine, text

from tests.stalls import StallWatch
from tidybench.cluster import Cluster, free_port
from tidybench.core.compile.load import load
from tidybench.core.setup import Setup
from tidybench.core.tape.lines import parse_tape_line
from tidybench.core.tape.shown import TapeLine, shown
from tidybench.records.database import engine_for, upgrade
from tidybench.standins.device import Device
from tidybench.standins.instruments import LoopFlowMeter, PowerAnalyser
from tidybench.standins.loop import Loop
from tidybench.wire.client import Client, RecorderAway
from tidybench.wire.places import Places
from tidybench.wire.protocol import Answer, Request
from tidybench.wire.status import GetStatus, Status
from tidybench.wire.tape import GetTape

D = TypeVar("D", bound=Device)
ROOT = Path(__file__).resolve().parents[1]
DEMO = ROOT / "src" / "tidybench" / "setups" / "demo"


KILLS = int(os.environ.get("TIDY_KILLS", "5"))
"""How often what is killed is killed. More find more; all of it together must end in time."""

# How fast examples are drawn says how busy the computer is, nothing of what is tested.
settings.register_profile("bench", suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("bench")

STALLS = StallWatch()
REAL_TIME = tuple(str(ROOT / "tests" / name) for name in ("browser", "links", "recorder", "standins", "web"))


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What lives in real time may be tried again, but only where the machine stood still (tests/stalls.py)."""
    for item in items:
        if str(item.path).startswith(REAL_TIME):
            item.add_marker(pytest.mark.flaky(reruns=2, condition=STALLS.happened))


def pytest_runtest_logstart() -> None:
    STALLS.begin()


def wait_for(condition: Callable[[], object], what: str = "it", seconds: float = 40.0) -> None:
    """Wait on a condition; nothing here sleeps for luck. The time is that of a machine on which others are busy."""
    until = time.monotonic() + seconds
    while not condition():
        assert time.monotonic() < until, f"waited {seconds} s for {what}"
        time.sleep(0.01)


def setup_text(name: str) -> str:
    """The TOML of one of the demo's set-ups."""
    return (DEMO / f"{name}.setup.toml").read_text("utf-8")


def library_text(name: str) -> str:
    """The TOML of a set-up that comes with Tidy Bench and is not on the demo's bench."""
    return (DEMO.parent / "library" / f"{name}.setup.toml").read_text("utf-8")


def flows(device: Device) -> list[float]:
    """What a flow meter has sent, as numbers."""
    return [float(reply[3:11]) for reply in device.sent if reply.startswith(b"FL=+")]


@pytest.fixture
def flow_setup() -> Setup:
    """The flow meter's, without what is said around a session."""
    return load(setup_text("loop-flow-meter")).model_copy(update={"identity": None, "start": []})


@pytest.fixture
def places(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Places:
    """A bench's folders, for this process and those it starts."""
    monkeypatch.setenv("TIDY_DATA", str(tmp_path / "data"))
    found = Places(tmp_path / "data")
    found.make()
    found.simulated.mkdir()
    return found


class Shop:
    """Stand-ins, in this process: flow meter and power analyser, and whichever a test plugs in."""

    def __init__(self, places: Places) -> None:
        self.loop = Loop()
        self.folder = places.simulated
        self.devices: list[Device] = []
        self.flow = self.plug_in(LoopFlowMeter)
        self.power = self.plug_in(PowerAnalyser)

    def plug_in(self, kind: type[D]) -> D:
        device = kind(self.folder, self.loop)
        self.devices.append(device)
        device.start()
        return device

    def close(self) -> None:
        for device in self.devices:
            device.stop()


@pytest.fixture
def shop(places: Places) -> Iterator[Shop]:
    made = Shop(places)
    yield made
    made.close()


class RecorderProcess:
    """A real recorder, in a process of its own."""

    def __init__(self, places: Places) -> None:
        self.places = places
        self.client = Client(places.control)
        self.process: subprocess.Popen[bytes] | None = None
        self._answers = False

    def start(self, *names: str, carry_on: bool = False) -> None:
        files = [str(DEMO / f"{name}.setup.toml") for name in names]
        command = [sys.executable, "-m", "tidybench.recorder", *(["--carry-on"] if carry_on else []), *files]
        environment = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
        self.process = subprocess.Popen(command, env=environment, stdin=subprocess.DEVNULL)
        self._answers = False
        self.client.close()

    def kill(self) -> None:
        assert self.process is not None
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()

    def stop(self) -> None:
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()
            assert self.process.wait(10) == 0
        self.client.close()

    def ask(self, request: Request) -> "tuple[object, list[bytes]]":
        if not self._answers:
            wait_for(self._has_begun, "the recorder's first answer")
        return self.client.ask(request)

    def _has_begun(self) -> bool:
        """On a machine on which others are busy, importing alone may take longer than anybody waits for an answer."""
        assert self.process is not None
        with contextlib.suppress(RecorderAway):
            self.client.ask(GetStatus())
            self._answers = True
        return self._answers or self.process.poll() is not None

    def status(self) -> Status:
        answer, _ = self.ask(GetStatus())
        assert isinstance(answer, Answer)
        assert answer.status is not None
        return answer.status

    def tape(self, wanted: GetTape) -> list[TapeLine]:
        """Lines of the tape, as a person sees them."""
        _, frames = self.ask(wanted)
        told = [shown(*parse_tape_line(line)) for line in frames[0].decode().split("\n") if line]
        return [line for line in told if line is not None]

    def all_passing(self) -> bool:
        """Every instrument passing at every stage; losses of the last minute do not count."""
        try:
            instruments = self.status().instruments
        except RecorderAway:
            return False  # it is starting, or was started again
        return bool(instruments) and all(
            s.state in ("passing", "losses") for i in instruments for s in i.stages
        )


@pytest.fixture
def recorder(places: Places) -> Iterator[RecorderProcess]:
    made = RecorderProcess(places)
    yield made
    made.stop()


@pytest.fixture(scope="session")
def cluster(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Cluster]:
    """A PostgreSQL of the tests' own."""
    folder = tmp_path_factory.mktemp("cluster")
    made = Cluster(folder, folder / "postgres.log")
    made.start()
    yield made
    made.remove()


@contextlib.contextmanager
def fresh_database(cluster: Cluster) -> Iterator[str]:
    """The address of a database that is there for a while."""
    name = f"t{uuid.uuid4().hex[:12]}"
    main = engine_for(cluster.url)

    def say(sql: str) -> None:
        with main.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            connection.execute(text(sql))

    say(f"CREATE DATABASE {name}")
    yield cluster.url.rsplit("/", 1)[0] + f"/{name}"
    with contextlib.suppress(Exception):
        say(f"DROP DATABASE {name} WITH (FORCE)")
    main.dispose()


@pytest.fixture
def database_url(cluster: Cluster) -> Iterator[str]:
    """A fresh database for one test."""
    with fresh_database(cluster) as url:
        yield url


@pytest.fixture
def engine(database_url: str) -> Iterator[Engine]:
    made = engine_for(database_url)
    upgrade(made)
    yield made
    made.dispose()


class Server:
    """A whole bench: stand-ins here, recorder, web server and database as processes."""

    carries_on: ClassVar[bool] = False

    def prepare(self) -> None:
        """What stands in the bench's folders before anything starts."""

    def __init__(self, data: Path, database_url: str) -> None:
        self.places = Places(data)
        self.places.make()
        self.places.simulated.mkdir()
        self.prepare()
        os.environ["TIDY_DATA"] = str(data)
        self.shop = Shop(self.places)
        self.recorder = RecorderProcess(self.places)
        self.recorder.start(carry_on=self.carries_on)
        self.setups = data.parent / "set-ups"
        self.setups.mkdir()
        for name in ("loop-flow-meter", "power-analyser"):
            (self.setups / f"{name}.setup.toml").write_text(setup_text(name), "utf-8")
        self.port = free_port()
        self.token = "t0ken-of-the-tests"
        self.places.access.write_text(json.dumps({"token": self.token, "port": self.port}))
        self.database_url = database_url
        self.web: subprocess.Popen[bytes] | None = None
        try:
            self.start_web()
            brought = len(list(self.setups.iterdir()))
            wait_for(lambda: len(self.get("/api/setups").json()) >= brought, "the set-ups of the folder")
        except BaseException:
            self.close()  # nobody else knows of the processes yet
            raise

    @property
    def base(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start_web(self) -> None:
        environment = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "TIDY_DATABASE_URL": self.database_url}
        command = [
            sys.executable,
            "-m",
            "tidybench.web",
            "--port",
            str(self.port),
            "--setups",
            str(self.setups),
        ]
        command += ["--front-end", str(ROOT / "src" / "tidybench" / "front_end")]
        self.web = subprocess.Popen(command, env=environment, stdin=subprocess.DEVNULL)
        wait_for(self.ready, "the web server")

    def ready(self) -> bool:
        with contextlib.suppress(httpx.HTTPError):
            health = self.get("/api/health").json()
            return bool(health["recorder"]["well"] and health["database"]["well"])
        return False

    def client(self, **headers: str) -> httpx.Client:
        given = {"Authorization": f"Bearer {self.token}", **headers}
        return httpx.Client(base_url=self.base, headers=given, timeout=20)

    def get(self, path: str) -> httpx.Response:
        with self.client() as client:
            return client.get(path)

    def post(self, path: str, body: object) -> httpx.Response:
        with self.client() as client:
            return client.post(path, json=body)

    def put(self, path: str, body: object) -> httpx.Response:
        with self.client() as client:
            return client.put(path, json=body)

    def patch(self, path: str, body: object) -> httpx.Response:
        with self.client() as client:
            return client.patch(path, json=body)

    def delete(self, path: str) -> httpx.Response:
        with self.client() as client:
            return client.delete(path)

    def end_any_run(self) -> None:
        """What a test that failed left behind must not make the next one fail."""
        run = self.recorder.status().run
        if run is not None:
            self.post("/api/run/end", {"run": run.id})

    def kill_web(self) -> None:
        assert self.web is not None
        self.web.kill()
        self.web.wait()

    def close(self) -> None:
        self.kill_web()
        self.recorder.stop()
        self.shop.close()


@pytest.fixture(scope="module")
def server(cluster: Cluster, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """A whole bench for the tests of one file; no run is on when a test begins."""
    before = os.environ.get("TIDY_DATA")
    with fresh_database(cluster) as url:
        made = Server(tmp_path_factory.mktemp("bench") / "data", url)
        yield made
        made.close()
    if before is None:
        os.environ.pop("TIDY_DATA", None)
    else:
        os.environ["TIDY_DATA"] = before
