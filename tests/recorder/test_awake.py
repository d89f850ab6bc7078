"""Keeping the computer awake, with a command that stands for the system's."""

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from tests.conftest import wait_for
from tidybench.recorder import awake
from tidybench.recorder.awake import Awake

INHIBIT = """#!/bin/sh
echo $$ > {folder}/pid; echo "$@" > {folder}/asked
"""


@pytest.fixture(autouse=True)
def quickly(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(awake, "EVERY", 0.05)


def command(folder: Path, rest: str) -> str:
    path = folder / "inhibit"
    path.write_text(INHIBIT.format(folder=folder) + rest)
    path.chmod(0o755)
    (folder / "states").write_text("freeze mem\n")
    return str(path)


def holds(folder: Path) -> bool:
    try:
        os.kill(int((folder / "pid").read_text()), 0)
    except (OSError, ValueError):
        return False
    return True


def test_it_is_held_as_long_as_it_is_wanted(tmp_path: Path) -> None:
    wanted = [False]
    made = Awake(lambda: wanted[0], command(tmp_path, "exec cat\n"), tmp_path / "states")
    time.sleep(0.2)
    assert not (tmp_path / "pid").exists()
    wanted[0] = True
    wait_for(lambda: holds(tmp_path), "it to be held")
    assert "--what=sleep:idle" in (tmp_path / "asked").read_text()
    assert (made.state.can_sleep, made.state.trouble) == (True, "")
    wanted[0] = False
    wait_for(lambda: not holds(tmp_path), "it to be let go")
    wanted[0] = True
    wait_for(lambda: holds(tmp_path), "it to be held again")
    made.stop()
    assert not holds(tmp_path)


def test_what_is_refused_is_said(tmp_path: Path) -> None:
    made = Awake(lambda: True, command(tmp_path, "echo 'Access denied.' >&2; exit 1\n"), tmp_path / "states")
    wait_for(lambda: made.state.trouble.endswith("was refused (Access denied)"), "the refusal")
    made.stop()


def test_without_the_command_or_without_sleep_nothing_is_tried(tmp_path: Path) -> None:
    (tmp_path / "states").write_text("mem")
    made = Awake(lambda: True, str(tmp_path / "none"), tmp_path / "states")
    assert made.state.can_sleep
    assert made.state.trouble.startswith("there is no ")
    made.stop()
    (tmp_path / "states").write_text("\n")
    made = Awake(lambda: True, command(tmp_path, "exec cat\n"), tmp_path / "none")
    time.sleep(0.2)
    assert not made.state.can_sleep
    assert not (tmp_path / "pid").exists()
    made.stop()


def test_it_lets_go_where_the_recorder_is_killed(tmp_path: Path) -> None:
    held = command(tmp_path, "exec cat\n")
    code = (
        "import time, pathlib; from tidybench.recorder import awake; awake.EVERY = 0.05\n"
        f"awake.Awake(lambda: True, {held!r}, pathlib.Path({str(tmp_path / 'states')!r})); time.sleep(60)"
    )
    env = {**os.environ, "PYTHONPATH": str(Path(awake.__file__).parents[2])}
    process = subprocess.Popen([sys.executable, "-c", code], env=env)
    wait_for(lambda: holds(tmp_path), "it to be held")
    process.send_signal(signal.SIGKILL)
    process.wait()
    wait_for(lambda: not holds(tmp_path), "it to be let go")
