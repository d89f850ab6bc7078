"""A run that calibrates a channel: what it came to, from its folder, and as a CSV."""

import csv
import io
from pathlib import Path

from tidybench.core.calibration import Calibration, CalibrationRow, calibration
from tidybench.core.channels.correction import Fit, basis_of, correction_of
from tidybench.core.channels.scaling import words
from tidybench.core.compile.load import load
from tidybench.core.plan.calibration_plan import CalibrationPlan
from tidybench.core.setup import ChannelPart
from tidybench.core.setup.scaling import CalibrationPart
from tidybench.core.tape.events import SetupsInForce, Zeroed
from tidybench.core.values.exact import Exact
from tidybench.core.values.figure import figure
from tidybench.core.values.point import newest_of
from tidybench.runs.cells import safe_text
from tidybench.runs.folder import setup_file
from tidybench.runs.points import read_points
from tidybench.runs.run_state import RunState, read_state
from tidybench.runs.stamps import Stamps
from tidybench.runs.tape import read_kinds


class NotACalibration(ValueError):
    """The run calibrates nothing."""


class InForce(Exact):
    """What stood between the readings and the channel's values. `correction`: in words, "" for none; `zero`: what was taken off, in the channel's
    unit; `certificate`: what was known of the calibration."""

    correction: str
    zero: float
    certificate: CalibrationPart | None


class RunCalibration(Calibration):
    """`before` and `after`: how the channel was made when the run began, and when it ended (or now). `taken_in`: whether another correction
    came into force meanwhile. `reference_name`: of the channel that gave the true value, "" where it
    was typed."""

    plan: CalibrationPlan
    name: str
    unit: str
    decimals: int
    instrument: str
    reference_name: str
    before: InForce
    after: InForce
    taken_in: bool


def run_calibration(folder: Path, fit: Fit | None = None, degree: int = 2) -> RunCalibration:
    """What a run's calibration came to. `fit`, `degree`: the correction that its points would make; None for the one that was taken in, a straight
    line where none was. Raises NotACalibration;
    OSError or ValueError where the folder cannot be read."""
    state = read_state(folder)
    plan = state.calibrates
    if plan is None:
        raise NotACalibration("This run calibrates nothing.")
    own = next((one for one in state.channels if one.id == plan.channel), None)
    kept = _versions(folder, state, plan.channel)
    if own is None or not kept:
        raise NotACalibration(f"The run's folder does not have the channel “{plan.channel}”.")
    first, last = kept[0], kept[-1]
    step = correction_of(last)
    taken_in = step is not None and step != correction_of(first)
    points = newest_of(read_points(folder))
    taken = step if taken_in and fit is None else None
    found = calibration(plan, last.unit, points, fit or "straight line", degree, taken)
    if basis_of(first) != basis_of(last):
        why = f"How {last.name} is made was changed since the calibration began: a correction of its points would not go with it. Begin another one."
        rows = [row.model_copy(update={"residual": None}) for row in found.rows]
        found = found.model_copy(update={"rows": rows, "correction": None, "no_correction": why})
    reference = next((one.name for one in state.channels if one.id == plan.reference), plan.reference or "")
    zeros = [
        e.amount
        for _, _, e in read_kinds(folder / "tape", Zeroed.kind)
        if isinstance(e, Zeroed) and e.channel == plan.channel
    ]
    return RunCalibration(
        **dict(found),
        plan=plan,
        name=last.name,
        unit=last.unit,
        decimals=last.decimals,
        instrument=own.instrument_name,
        reference_name=reference,
        before=_in_force(first, own.zero),
        after=_in_force(last, zeros[-1] if zeros else own.zero),
        taken_in=taken_in,
    )


def _in_force(channel: ChannelPart, zero: float) -> InForce:
    step = correction_of(channel)
    return InForce(
        correction=words(step) if step is not None else "", zero=zero, certificate=channel.calibration
    )


def _versions(folder: Path, state: RunState, channel: str) -> list[ChannelPart]:
    """How the channel was made, from the beginning of the run on."""
    instrument = next((one.instrument for one in state.channels if one.id == channel), "")
    files = [setup_file(instrument)]
    for _, _, event in read_kinds(folder / "tape", SetupsInForce.kind):
        if isinstance(event, SetupsInForce):
            files += [name for name in event.files if Path(name).name.split(".")[0] == instrument]
    found = []
    for name in dict.fromkeys(reversed(files)):  # the newest of each, in order
        path = folder / "set-ups" / name
        parts = load(path.read_text("utf-8")).channel if path.exists() else []
        found += [part for part in parts if part.id == channel]
    found.reverse()
    first = folder / "set-ups" / files[0]
    begun = (
        [part for part in load(first.read_text("utf-8")).channel if part.id == channel]
        if first.exists()
        else []
    )
    return [*begun, *found]


def table(found: RunCalibration) -> str:
    """The points of a calibration as CSV (RFC 4180), a row each."""
    stamps, out = Stamps(), io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    of = f" [{found.unit}]" if found.unit else ""
    named = ("reference", "shown", "deviation", "allowed", "sd", "before_correction", "residual")
    head = [
        "point",
        "stage",
        "time",
        "name",
        *(f"{one}{of}" for one in named),
        "samples",
        "verdict",
        "void",
        "gave_up",
        "note",
    ]
    writer.writerow([safe_text(cell) for cell in head])
    for row in found.rows:
        writer.writerow(_cells(row, stamps))
    return out.getvalue()


def _cells(row: CalibrationRow, stamps: Stamps) -> list[str]:
    values = (row.reference, row.shown, row.deviation, row.allowed, row.sd, row.uncorrected, row.residual)
    figures = ["" if one is None else figure(one) for one in values]
    rest = [
        str(row.count),
        row.verdict,
        "yes" if row.void else "",
        safe_text(row.gave_up),
        safe_text(row.note),
    ]
    return [str(row.number), row.stage, stamps.milli(row.at), safe_text(row.name), *figures, *rest]
