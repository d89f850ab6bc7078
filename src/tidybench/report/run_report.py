"""The report of a run: what its folder says, on one page."""

import json
from dataclasses import dataclass
from datetime import datetime, tzinfo
from pathlib import Path
from typing import Any

from markupsafe import Markup

from tidybench import __version__
from tidybench.core.analysis.answer import said
from tidybench.core.quality import Quality
from tidybench.core.setup import Setup, SetupError
from tidybench.core.values.crossing import SERIOUS, Crossing
from tidybench.core.values.curve import Curve
from tidybench.core.values.figure import figure as plain_figure
from tidybench.core.values.point import Point
from tidybench.core.values.statistics import Statistics
from tidybench.report.curve_drawings import curve_drawings
from tidybench.report.page import count, moment, offsets, own_zone, pages, seconds
from tidybench.report.trends import Axis, Drawn, Pace, series_of, strip
from tidybench.runs.calibration import NotACalibration, RunCalibration, run_calibration
from tidybench.runs.crossings import read_crossings
from tidybench.runs.curves import run_curves
from tidybench.runs.folder import MANIFEST, SUMMARY
from tidybench.runs.kept_answers import KeptAnswer, kept_answers
from tidybench.runs.later_marks import marks_of
from tidybench.runs.points import run_points
from tidybench.runs.reread import frozen_setups
from tidybench.runs.run_channel import RunChannel
from tidybench.runs.run_state import RunState, read_state
from tidybench.runs.said import corrected, differences, said_changes
from tidybench.runs.seal import Manifest, SealError, seal_of
from tidybench.runs.taken_out import taken_out

MOST_FILES = 60
MOST_CURVES = 24
"""Curves that are drawn."""
MOST_LINES = 400
"""Marks and crossings that are listed."""


class ReportError(ValueError):
    """Why there is no report, in a sentence."""


@dataclass(slots=True, frozen=True)
class _Channel:
    """A channel's part of the page."""

    about: RunChannel
    statistics: Statistics
    pace: Pace
    drawing: Markup

    @property
    def lacking(self) -> str:
        """What was not measured, in words."""
        some = [
            f"{quality.words} {count}"
            for quality in Quality
            if not quality.measured and (count := self.statistics.qualities.get(quality.code, 0))
        ]
        if self.pace.gaps:
            gaps = "one gap" if self.pace.gaps == 1 else f"{self.pace.gaps} gaps"
            some.append(f"{gaps}, at most {seconds(self.pace.longest)}")
        return ", ".join(some) or "nothing"


def report(folder: Path, zone: tzinfo | None = None, at: int | None = None) -> str:
    """A run as one HTML page, whole in itself. `zone`: of its times, the computer's where none is given; `at`: when it is made, microseconds since 1970 UTC. It takes as
    long as reading the samples once. Raises ReportError, OSError, ValueError."""
    logged = read_state(folder)
    state = corrected(folder, logged)
    if state.status == "logging" or state.ended_at is None:
        raise ReportError("The run goes on. Its report is made when it has ended.")
    shown = zone if zone is not None else own_zone()
    made = datetime.fromtimestamp(at / 1e6, shown) if at is not None else datetime.now(shown)
    answers = kept_answers(folder)
    marks = marks_of(folder)
    crossings = read_crossings(folder)
    axis = Axis(state.begun_at, state.ended_at, shown, [mark.at for mark in marks])
    channels = _channels(folder, state, axis, answers)
    curves = run_curves(folder)
    return (
        pages(shown)
        .get_template("run.html")
        .render(
            run=state,
            channels=channels,
            facts=_facts(state, shown),
            instruments=_instruments(folder, state),
            points=(points := _points(folder)),
            judged=any(
                mean.low is not None or mean.high is not None for point in points for mean in point.means
            ),
            answers=answers,
            marks=marks[:MOST_LINES],
            more_marks=len(marks) - MOST_LINES,
            crossings=crossings[:MOST_LINES],
            more_crossings=len(crossings) - MOST_LINES,
            serious=sum(one.state in SERIOUS for one in crossings),
            limited=any(one.low is not None or one.high is not None for one in state.channels),
            crossed=_crossed,
            completeness=_completeness(state),
            corrections=list(said_changes(folder)),
            curves=curves[:MOST_CURVES],
            more_curves=len(curves) - MOST_CURVES,
            drawings=_drawings(folder, curves[:MOST_CURVES]),
            calibration=_calibration(folder, state),
            uncertain=uncertainty_words,
            plain=plain_figure,
            corrected=differences,
            taken_out=gone.words if (gone := taken_out(folder)) is not None else "",
            seal=_seal(folder),
            made=made.strftime("%Y-%m-%d %H:%M:%S %z"),
            version=__version__,
            zone=offsets(state.begun_at, state.ended_at, shown),
        )
    )


def _summed_up(folder: Path) -> dict[str, Any]:
    """What summary.json says of each channel, by id. Raises ReportError, OSError."""
    try:
        return {str(one["id"]): one for one in json.loads((folder / SUMMARY).read_bytes())["channels"]}
    except (ValueError, KeyError, TypeError, RecursionError):
        raise ReportError(f"{SUMMARY} in the run's folder is damaged.") from None


def _channels(folder: Path, state: RunState, axis: Axis, answers: list[KeptAnswer]) -> list[_Channel]:
    told = _summed_up(folder)
    every = [channel for channel in state.channels if not channel.clock]
    series = series_of(folder, every)
    found = []
    for channel in every:
        over = [
            Drawn(one.times, one.values, one.dots)
            for kept in answers
            for one in kept.answer.overlays
            if one.channel == channel.id
        ]
        found.append(
            _Channel(
                channel,
                Statistics.model_validate(told.get(channel.id, {})),
                series[channel.number].pace,
                Markup(strip(channel, series[channel.number], axis, over)),
            )
        )
    return found


def _drawings(folder: Path, curves: list[Curve]) -> dict[int, list[Markup]]:
    """By the curves' numbers; of one that cannot be read, none."""
    found: dict[int, list[Markup]] = {}
    for curve in curves:
        try:
            found[curve.number] = curve_drawings(folder, curve)
        except (OSError, ValueError):
            found[curve.number] = []
    return found


def _calibration(folder: Path, state: RunState) -> RunCalibration | None:
    if state.calibrates is None:
        return None
    try:
        return run_calibration(folder)
    except (NotACalibration, OSError, ValueError):
        return None


def uncertainty_words(value: float) -> str:
    """An expanded uncertainty, with two digits that mean something (JCGM 100, 7.2.6)."""
    return said(float(f"{value:.2g}"), digits=2)


def _facts(state: RunState, zone: tzinfo) -> list[tuple[str, str]]:
    ended = state.ended_at or state.begun_at
    facts = [
        ("Test item", state.item),
        ("Operator", state.operator),
        ("Order number", state.order),
        ("Bench", state.bench),
        ("Begun", moment(state.begun_at, zone)),
        ("Begun by", state.begun_by),
        ("Ended", moment(ended, zone)),
        ("Length", seconds((ended - state.begun_at) / 1e6)),
        ("Why it ended", state.reason),
        ("Rows of the CSV", f"{count(state.rows)}: {state.row_rule.words}" if state.rows else ""),
        *state.fields.items(),
    ]
    return [(name, text) for name, text in facts if text]


def _instruments(folder: Path, state: RunState) -> list[dict[str, Any]]:
    """Each with its link and its channels: how their values are made, and their certificates."""
    try:
        setups: dict[str, Setup] = {one.instrument.id: one for one in frozen_setups(folder)}
    except (OSError, SetupError):
        setups = {}
    found: dict[str, dict[str, Any]] = {}
    for channel in state.channels:
        setup = setups.get(channel.instrument)
        name = channel.instrument_name or "Calculated"
        one = found.setdefault(
            channel.instrument,
            {
                "name": name,
                "link": f"{setup.link.address}, {setup.link.short}" if setup is not None else "",
                "channels": [],
            },
        )
        one["channels"].append(channel)
    return list(found.values())


def _points(folder: Path) -> list[Point]:
    try:
        return [one for one in run_points(folder).points if not one.void]
    except (OSError, ValueError):
        return []


def _completeness(state: RunState) -> list[str]:
    counts = state.counts
    wanted = counts.polls + counts.missed
    said = [
        f"{count(counts.polls)} of {count(wanted)} polls were sent, {count(counts.polls - counts.gave_up)} of them answered in time"
        if wanted
        else "nothing was polled: the instruments talk on their own"
    ]
    if counts.missed:
        said.append(f"{count(counts.missed)} were left out because the link was busy")
    if counts.gave_up:
        said.append(f"{count(counts.gave_up)} had no answer in time")
    if counts.lost:
        said.append("a link was lost " + ("once" if counts.lost == 1 else f"{counts.lost} times"))
    said += state.repairs
    return said


def _seal(folder: Path) -> dict[str, Any] | None:
    try:
        seal = seal_of(folder)
        manifest = Manifest.model_validate_json((folder / MANIFEST).read_bytes())
    except (SealError, OSError, ValueError):
        return None
    spaced = " ".join(seal.fingerprint[n : n + 4] for n in range(0, len(seal.fingerprint), 4))
    files = sorted(manifest.files, key=lambda one: (one.path.startswith("tape/"), one.path))
    return {
        "at": seal.sealed_at,
        "fingerprint": spaced,
        "files": files[:MOST_FILES],
        "more": len(files) - MOST_FILES,
    }


_STATES = {
    "within": "back within",
    "low": "below the limit",
    "high": "above the limit",
    "low caution": "below the caution",
    "high caution": "above the caution",
    "stopped": "its path stopped",
    "unmeasured": "not measured",
    "back": "passing again",
}


def _crossed(one: Crossing) -> str:
    words = _STATES.get(one.state, one.state)
    return words if one.limit is None else f"{words} of {said(one.limit, digits=12)}"
