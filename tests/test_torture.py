"""The short form of ./tidy torture: a minute, with fixed seeds; and that its judge sees what is wrong."""

import json
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


def test_points_are_held_against_their_samples(logged: Path, tmp_path: Path) -> None:
    records, state = unpack((logged / "samples.bin").read_bytes()), read_state(logged)
    channel = state.channels[0]
    own = records[(judge.channels_of(records) == channel.number) & (judge.qualities_of(records) <= 1)][10:60]
    values = own["value"]
    mean = {"id": channel.id, "name": channel.name, "count": 50, "missing": 0, "mean": float(values.mean()),
            "minimum": float(values.min()), "maximum": float(values.max())}  # fmt: skip
    stretch = {"name": "P1", "since": int(own["time"][0]) - 1, "until": int(own["time"][-1])}

    def said(**other: float) -> list[str]:
        (tmp_path / "points.jsonl").write_text(json.dumps(stretch | {"means": [mean | other]}) + "\n")
        return judge._points(tmp_path, state, records, judge.Verdict())

    assert said() == []
    assert "the point P1 says" in said(mean=float(values.mean()) * 1.000001)[0]
    assert len(said(count=49)) == 1


def test_what_was_handed_on_is_held_against_what_was_sent(tmp_path: Path) -> None:
    peer = cast(Any, SimpleNamespace(halves={1, 8, 15}))
    file = tmp_path / "1.txt"
    file.write_bytes(b"1\n8\n8\n15")  # the last one is being written
    assert judge.handed_on(file, peer) == []
    file.write_bytes(b"8\n1\n9\n")
    assert judge.handed_on(file, peer) == [
        "1.txt: 9 was handed on, and never sent",
        "1.txt: 1 was handed on after 8",
    ]


@pytest.mark.timeout(600)
def test_some_rounds_are_clean() -> None:
    environment = {**os.environ, "PYTHONPATH": f"{ROOT / 'src'}:{ROOT}"}
    command = [sys.executable, "-m", "torture", "--rounds", "2", "--seconds", "6", "--seed", str(SEED)]
    done = subprocess.run(command, env=environment, capture_output=True, text=True, timeout=500, cwd=ROOT)
    assert done.returncode == 0, done.stdout + done.stderr
