"""What a run would write, beside what one has written."""

from pathlib import Path

import pytest

from tests.runs.test_folder import AT, CHANNEL, entry
from tests.runs.test_rows import batch
from tidybench.core.quality import Quality
from tidybench.core.values.row_rule import RowRule
from tidybench.runs.log import RunLog
from tidybench.runs.need import Need


@pytest.mark.parametrize(
    "rule",
    [
        RowRule(kind="each reading"),
        RowRule(),
        RowRule(every_s=1, values=["mean", "minimum", "maximum"]),
    ],
)
def test_it_is_what_the_files_of_such_a_run_grow_by(tmp_path: Path, rule: RowRule) -> None:
    """20 s of memory tell what a run of 100 s writes, to a few per cent: numbers grow longer."""
    log = RunLog.begin(
        tmp_path, bench="b", name="n", item="", operator="", row_rule=rule, at=AT, channels=[CHANNEL], setups={}
    )  # fmt: skip
    packed, lines = b"", []
    head = (log.folder / log.state.csv).stat().st_size
    for n in range(1, 1001):
        at = AT + n * 100_000
        one = entry(n, at, batch((1, at, n / 7, Quality.OK)))
        log.write([one], at)
        if n <= 200:
            packed, lines = packed + one.packed, [*lines, one.line]
    log.abandon()
    need = Need([CHANNEL], rule, packed, lines, AT, AT + 20_000_000)
    files = [log.folder / log.state.csv, log.folder / "samples.bin", *(log.folder / "tape").iterdir()]
    written = sum(path.stat().st_size for path in files) - head
    assert need.bytes_per_s == pytest.approx(written / 100, rel=0.06)
    assert need.rows_per_s == pytest.approx(log.rows / 100, rel=0.06)


def test_too_little_seen_tells_nothing() -> None:
    need = Need([CHANNEL], RowRule(), b"", [], AT, AT + 1_000_000)
    assert (need.bytes_per_s, need.rows_per_s) == (None, None)
