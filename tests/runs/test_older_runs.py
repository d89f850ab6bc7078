"""A run that an older version logged: its tape gives its samples, bit for bit.

`run-before-keys` was logged on 2026-11-25 by the version before origins became keys: ten stand-ins, a late reply, a device pulled
out, a command by hand, a port released and taken back, a zero, set-ups changed in mid-run, a recorder killed.
"""

from collections import Counter
from pathlib import Path

import numpy as np

from tidybench.core.quality import Quality
from tidybench.core.samples import qualities_of, sequences_of, unpack
from tidybench.core.tape.counting import count
from tidybench.core.tape.events import Missed, Sent
from tidybench.core.values.counts import RunCounts
from tidybench.core.values.origin import Asked, ByHand, IdentityQuery, StartCommand
from tidybench.runs.reread import reread
from tidybench.runs.run_state import read_state

FOLDER = Path(__file__).parent / "run-before-keys"


def test_a_tape_of_before_gives_its_samples() -> None:
    """Bit for bit, but for the last bits of means: what left them had left its rounding behind (fault 5)."""
    logged = unpack((FOLDER / "samples.bin").read_bytes())
    entries = list(reread(FOLDER))
    kinds = Counter(entry.event.kind for entry in entries)
    assert {"in", "out", "gave-up", "quiet", "missed", "lost", "open", "identity", "zero", "set-up"} <= set(
        kinds
    )
    again = unpack(
        b"".join(e.batch.pack(e.sequence) for e in entries if e.batch is not None and len(e.batch))
    )
    known = np.isin(sequences_of(again), sequences_of(logged))
    assert len(logged) == 391
    again = again[known]
    assert again["word"].tolist() == logged["word"].tolist()
    assert again["time"].tolist() == logged["time"].tolist()
    measured = qualities_of(logged) <= Quality.FLAGGED
    np.testing.assert_allclose(again["value"][measured], logged["value"][measured], rtol=1e-14)
    assert np.isnan(again["value"][~measured]).all()
    assert np.count_nonzero(again["value"][measured] != logged["value"][measured]) < measured.sum() / 4


def test_its_counts_and_origins_are_read() -> None:
    counts, origins = RunCounts(), set()
    for entry in reread(FOLDER):
        count(counts, entry.sequence, entry.event)
        if isinstance(entry.event, Sent):
            origins.add(type(entry.event.origin))
        if isinstance(entry.event, Missed):
            assert isinstance(entry.event.query, Asked)
    assert counts == read_state(FOLDER).counts
    assert {Asked, ByHand, IdentityQuery, StartCommand} <= origins
