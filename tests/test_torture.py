"""The short form of ./tidy torture: a minute, with fixed seeds; and that its judge sees what is wrong."""

import os
import shutil
import subprocess
import sys
from pathlib import Path
from types import SimpleNamespace
from typing import Any, cast

import numpy as np
import pytest
from torture import judge

from tests.conftest import DEMO, ROOT
from tests.earlier_run import make_runs
from tidybench.core.batch import Batch
from tidybench.core.samples import unpack
from tidybench.runs.folder import run_folders
from tidybench.runs.run_state import read_state

NOW = 1_795_416_791_000_000
SEED = 17


@pytest.fixture(scope="module")
def logged(tmp_path_factory: pytest.TempPathFactory) -> Path:
    runs = tmp_path_factory.mktemp("runs")
    make_runs(runs, DEMO, NOW, "bench")
    [found] = run_folders(runs)
    return found


def of_tape_and_rows(folder: Path) -> list[str]:
    data = (folder / "samples.bin").read_bytes()
    faults = judge._tape(folder, data, cut=False)
    return faults + judge._rows(folder, read_state(folder), unpack(data), judge.Verdict())


def test_a_run_that_is_well_is_found_well_and_a_changed_one_is_not(logged: Path, tmp_path: Path) -> None:
    assert of_tape_and_rows(logged) == []
    copy = tmp_path / "copy"
    shutil.copytree(logged, copy)
    samples = bytearray((copy / "samples.bin").read_bytes())
    samples[24 * 100 + 16] ^= 1  # the last bits of a value
    (copy / "samples.bin").write_bytes(samples)
    assert "first difference at 2416" in of_tape_and_rows(copy)[0]
    shutil.copy(logged / "samples.bin", copy / "samples.bin")
    path = copy / read_state(copy).csv
    rows = path.read_bytes().split(b"\r\n")
    rows[50] = rows[50].replace(b".", b".9", 2)
    path.write_bytes(b"\r\n".join(rows))
    (told,) = of_tape_and_rows(copy)
    assert told.startswith("1 of ")


def numbers(*values: float, told: tuple[int, ...], halves: tuple[int, ...] = ()) -> list[str]:
    """What is said of these samples of a peer that told and half told these numbers; NaN for a hole."""
    batch = Batch()
    for n, value in enumerate(values):
        batch.add(1, 7 if np.isnan(value) else 0, NOW + n * 1000, value)
    state = cast(Any, SimpleNamespace(channels=[SimpleNamespace(id="asked-n", number=1, name="Asked")]))
    peer = cast(Any, SimpleNamespace(told=dict.fromkeys(told, 0.0), halves=set(halves)))
    return judge._numbers(state, unpack(batch.pack(1)), "asked-n", peer, judge.Verdict())


def test_numbers_are_held_against_what_was_sent() -> None:
    hole = float("nan")
    assert numbers(1, 8, 15, told=(1, 8, 15)) == []
    assert numbers(1, hole, 15, told=(1, 8, 15)) == []
    assert numbers(1, 8, 15, told=(1, 15), halves=(8,)) == []
    assert "never sent" in numbers(1, 9, 15, told=(1, 8, 15))[0]
    assert "neither there nor counted" in numbers(1, 15, told=(1, 8, 15))[0]
    assert "came after" in numbers(8, hole, 1, told=(1, 8))[0]


@pytest.mark.timeout(600)
def test_some_rounds_are_clean() -> None:
    environment = {**os.environ, "PYTHONPATH": f"{ROOT / 'src'}:{ROOT}"}
    command = [sys.executable, "-m", "torture", "--rounds", "2", "--seconds", "6", "--seed", str(SEED)]
    done = subprocess.run(command, env=environment, capture_output=True, text=True, timeout=500, cwd=ROOT)
    assert done.returncode == 0, done.stdout + done.stderr
