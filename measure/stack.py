"""Recorder and web server as processes, as the supervisor runs them."""

import json
import os
import subprocess
import sys
import tempfile
import urllib.request
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from measure.bench import wait_for
from measure.browser import PAGES
from tidybench.cluster import Cluster, free_port
from tidybench.wire.client import Client
from tidybench.wire.places import Places
from tidybench.wire.setups import SetupText

TOKEN = "measuring"


@contextmanager
def private_cluster() -> Iterator[str]:
    """A PostgreSQL of its own; gives its address."""
    with tempfile.TemporaryDirectory() as folder:
        cluster = Cluster(Path(folder), Path(folder) / "postgres.log")
        cluster.start()
        try:
            yield cluster.url
        finally:
            cluster.remove()


@dataclass(slots=True)
class Stack:
    """A running bench."""

    setups: list[SetupText]
    places: Places
    port: int
    client: Client
    database: str
    recorder: subprocess.Popen[bytes]
    web: subprocess.Popen[bytes]

    @property
    def page(self) -> str:
        """The address a browser opens."""
        return f"http://127.0.0.1:{self.port}/?token={TOKEN}"

    @property
    def blank(self) -> str:
        """A page of the same server without script of ours; to be opened after `page`, which gives the session."""
        return f"http://127.0.0.1:{self.port}/api/health"


@contextmanager
def stack(setups: list[SetupText], front_end: Path = PAGES, before: Sequence[str] = ()) -> Iterator[Stack]:
    """Start it with these set-ups in force, and take it down again. `front_end`: the pages it serves. `before`: what
    stands before the recorder's command.

    Raises FileNotFoundError where they are not built: a browser that draws nothing makes every row beside it look fast.
    """
    if not (front_end / "index.html").is_file():
        raise FileNotFoundError(f"{front_end} has no pages. `./tidy measure` builds them before it measures.")
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder, private_cluster() as url:
        places = Places(Path(folder))
        os.environ["TIDY_DATA"] = folder
        places.make()
        for setup in setups:
            (places.setups / f"{setup.id}.setup.toml").write_text(setup.text)
        port = free_port()
        places.access.write_text(json.dumps({"token": TOKEN, "port": port}))
        environment = {**os.environ, "TIDY_DATABASE_URL": url}
        recorder = subprocess.Popen([*before, sys.executable, "-m", "tidybench.recorder"], env=environment)
        web = subprocess.Popen(
            [
                "nice",
                "-n",
                "5",
                sys.executable,
                "-m",
                "tidybench.web",
                "--port",
                str(port),
                "--front-end",
                str(front_end),
            ],
            env=environment,
        )
        client = Client(places.control)
        try:
            request = urllib.request.Request(
                f"http://127.0.0.1:{port}/api/bench", headers={"Authorization": f"Bearer {TOKEN}"}
            )

            def ready() -> bool:
                try:
                    with urllib.request.urlopen(request, timeout=2) as answer:
                        status = json.load(answer)["status"]
                        return status is not None and len(status["instruments"]) == len(setups)
                except OSError:
                    return False

            wait_for(ready)
            yield Stack(setups, places, port, client, url, recorder, web)
        finally:
            client.close()
            for process in (web, recorder):
                process.terminate()
                process.wait()
