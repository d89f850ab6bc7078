"""What a run takes along from memory, in its folder."""

import csv
from pathlib import Path

import pytest

from tests.runs.test_folder import AT, CHANNEL
from tests.runs.test_rows import batch
from tidybench.core.quality import Quality
from tidybench.core.samples import sequences_of, unpack
from tidybench.core.tape.events import Event, Note, Received, Start
from tidybench.core.values.row_rule import RowRule
from tidybench.recorder.ring import SampleRing, TapeRing
from tidybench.runs.entry import Entry
from tidybench.runs.lead import Lead
from tidybench.runs.log import RunLog
from tidybench.runs.recovery import mend
from tidybench.runs.run_state import read_state
from tidybench.runs.tape import read_tape

MS = 1000
LINK = "serial:x"


def entry(number: int, at: int, event: Event | None = None, value: float | None = None) -> Entry:
    made = Entry(number, LINK, event or Received(at, b"%d\r\n" % number))
    if value is not None:
        made.batch = batch((1, at, value, Quality.OK))
    made.seal()
    return made


def memory(entries: list[Entry], begun_at: int, us: int) -> Lead:
    samples, tape = SampleRing(), TapeRing()
    for one in entries:
        samples.add(one.packed, one.event.at)
        tape.add([one.line])
    since, packed = samples.records(begun_at, [1], 1000)
    return Lead(since, us, packed, tape.since(since))


def begun(runs: Path, lead: Lead) -> RunLog:
    return RunLog.begin(
        runs, bench="b", name="n", item="", operator="", row_rule=RowRule(kind="each reading"),
        at=lead.begun_at, channels=[CHANNEL], setups={}, lead=lead,
    )  # fmt: skip


def values(folder: Path) -> list[float]:
    records = unpack((folder / "samples.bin").read_bytes())
    assert sequences_of(records).tolist() == sorted(sequences_of(records).tolist())
    return [float(value) for value in records["value"]]


def of_the_csv(folder: Path) -> list[float]:
    with open(folder / read_state(folder).csv, newline="") as file:
        return [float(row["A [V]"]) for row in csv.DictReader(file)]


@pytest.mark.parametrize("proven", [False, True])
def test_what_is_from_memory_and_what_came_before_a_link_was_read_outlives_a_kill(
    tmp_path: Path, proven: bool
) -> None:
    before = [entry(n, AT + n * 100 * MS, value=float(n)) for n in range(1, 11)]
    # A run of before, which is over: none of it belongs to this one.
    before.insert(5, entry(5, AT + 550 * MS, Note(AT + 550 * MS, "end", "ended by a person")))
    before.insert(5, entry(5, AT + 540 * MS, Start(AT + 540 * MS, {})))
    lead = memory(before, AT + 300 * MS, 800 * MS)
    assert [int(line[5:7].strip(",")) for line in lead.lines] == list(range(3, 11))
    log = begun(tmp_path, lead)
    assert (log.state.lead_sequence, log.state.pressed_at) == (10, AT + 1100 * MS)
    if proven:
        log.sync(AT + 1100 * MS)
    log.write([entry(n, AT + n * 100 * MS, value=float(n)) for n in (11, 12)], AT + 1200 * MS)
    log.write(
        [entry(13, AT + 1300 * MS, Start(AT + 1300 * MS, {})), entry(14, AT + 1400 * MS)], AT + 1400 * MS
    )
    log.abandon()
    expected = [float(n) for n in range(3, 13)]
    assert values(log.folder) == of_the_csv(log.folder) == expected
    mended = mend(log.folder)
    assert values(log.folder) == of_the_csv(log.folder) == expected
    assert mended.state.repairs == []
    assert mended.rows == 10
    assert [number for number, _, _ in read_tape(log.folder / "tape")] == list(range(3, 15))


def test_memory_that_has_let_go_begins_where_it_is_whole() -> None:
    ring = SampleRing(most_bytes=24 * 20)
    for n in range(100):
        ring.add(batch((1, AT + n * 1_000_000, float(n), Quality.OK)).pack(n + 1), AT + n * 1_000_000)
    since, packed = ring.records(AT, [1], 1000)
    found = unpack(packed)
    assert since > AT
    assert len(found) <= 22
    assert found["time"][0] >= since
    assert found["value"][-1] == 99
    since, packed = ring.records(AT, [1], 5)
    assert (since, len(unpack(packed))) == (AT + 95_000_000, 5)
    assert ring.records(AT, [2], 5)[1] == b""  # a channel that is not on the bench any more


def test_what_was_measured_before_the_clock_was_set_back_is_told_by_its_number() -> None:
    """An hour is there twice: times alone would bring the first one along."""
    hour = 3_600_000_000
    samples, tape = SampleRing(), TapeRing()
    first = [entry(n, AT + hour + n * 100 * MS, value=float(n)) for n in range(1, 6)]
    again = [entry(n, AT + hour + n * 100 * MS, value=float(n)) for n in range(6, 11)]
    for one in [*first, *again]:
        samples.add(one.packed, one.event.at)
        tape.add([one.line])
    _, packed = samples.records(AT, [1], 1000, after=5)
    assert [float(value) for value in unpack(packed)["value"]] == [6, 7, 8, 9, 10]
    assert len(tape.since(AT, after=5)) == 5
