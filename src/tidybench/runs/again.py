"""A finished run read again with a corrected set-up: another version of its CSV. The first one stays as it is.

Versions lie in the run folder below `again/`: `002/` has the CSV, the set-up it was read with and `again.json`. Version 1 is
what was logged.
"""

import shutil
from collections.abc import Iterator, Sequence
from itertools import zip_longest
from math import isfinite
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import BaseModel

from tidybench.core.batch import RECORD_SIZE, Batch
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.curves.drawn import DrawnCurve, begun_curve
from tidybench.core.curves.piece import CurveBegan, CurvePiece
from tidybench.core.quality import Quality
from tidybench.core.samples import channels_of, qualities_of, sequences_of, unpack
from tidybench.core.setup import Setup, SetupError
from tidybench.core.setup.calculated import CALCULATED
from tidybench.core.tape.events import Opened, Start
from tidybench.core.thinning import thin
from tidybench.core.values.curve import Curve
from tidybench.core.values.sample_statistics import SampleStatistics
from tidybench.core.values.statistics import Statistics
from tidybench.runs.columns import header
from tidybench.runs.curves import CURVES, curve_file, curve_text, run_curves, write_curve
from tidybench.runs.entry import Entry
from tidybench.runs.folder import AGAIN, SAMPLES
from tidybench.runs.reread import frozen_setups, reread
from tidybench.runs.rows import make_rule
from tidybench.runs.run_channel import RunChannel, run_channel
from tidybench.runs.run_state import RunState, read_state
from tidybench.runs.taken_out import taken_out
from tidybench.runs.whole import write_whole

STATE = "again.json"
PIECE = 100_000
"""Samples that are imported at once."""

DRAWN = 1500
"""Pixels of a picture; twice as many samples at the most."""

NEVER = 1 << 62
"""A line that no tape has."""

MOST_HELD = 60_000
"""Samples that are held until they are thinned out."""


class AgainError(ValueError):
    """Why a run cannot be read again so, in a sentence."""


class Comparison(BaseModel):
    """A channel as it was logged and as it is read again; None where one of them has no such channel."""

    id: str
    name: str
    unit: str
    logged: Statistics | None
    again: Statistics | None


class CurveComparison(BaseModel):
    """A curve of the instrument as it was logged and as it is read again, in the order they came; None where there is none. `same`: in every row."""

    logged: Curve | None
    again: Curve | None
    same: bool


class AgainTrend(BaseModel):
    """A channel as it is read again, for a picture: `times` in microseconds since 1970 UTC, `values` (None where nothing was measured), in at most some thousand
    samples, the lowest and highest of each stretch among them. `whole`: they are all."""

    id: str
    name: str
    unit: str
    decimals: int
    interval_s: float
    times: list[int]
    values: list[float | None]
    whole: bool


class Outcome(BaseModel):
    """What reading again gives, beside what was logged of the same time. `trends`: of the instrument's channels with numbers. `from_memory`: so many samples came
    along from before the run; they cannot be read again, and count on neither side."""

    channels: list[Comparison]
    curves: list[CurveComparison]
    trends: list[AgainTrend] = []
    from_memory: int = 0


class Version(BaseModel):
    """Another version of a run's CSV, and of the curves of the instrument. `at`: microseconds since 1970 UTC; `from_memory`: as in Outcome."""

    version: int
    at: int
    instrument: str
    csv: str
    channels: list[Comparison]
    curves: list[CurveComparison] = []
    from_memory: int = 0


class _Gathered(SampleStatistics):
    """What comes of a channel."""

    def __init__(self, channel: RunChannel) -> None:
        super().__init__(channel.states)

    def add_many(self, records: "np.ndarray[Any, Any]", qualities: "np.ndarray[Any, Any]") -> None:
        """Many samples, as records of samples.bin."""
        self.gathering.add(records["time"], records["value"], qualities)

    @property
    def statistics(self) -> Statistics:
        """What has come until now. The mean has the digits that do not depend on the order of adding up; spread and slope
        are left out for that."""
        found = super().statistics.model_copy(update={"sd": None, "slope_per_h": None})
        if found.mean is not None:
            found.mean = float(f"{found.mean:.11g}")
        return found


class _Thinned:
    """What comes of a channel, for a picture: memory does not grow with the run."""

    def __init__(self, channel: RunChannel) -> None:
        self._channel = channel
        self._times: list[int] = []
        self._values: list[float] = []
        self._qualities: list[int] = []
        self._whole = True

    def add(self, at: int, quality: int, value: float) -> None:
        """One sample."""
        self._times.append(at)
        self._values.append(value)
        self._qualities.append(quality)
        if len(self._times) >= MOST_HELD:
            self._thin(2 * DRAWN)

    def _thin(self, most: int) -> None:
        times, values = np.array(self._times, np.int64), np.array(self._values)
        qualities = np.array(self._qualities, np.int64)
        kept = thin(times, values, qualities, most)
        self._whole = self._whole and len(kept) == len(times)
        self._times, self._values = times[kept].tolist(), values[kept].tolist()
        self._qualities = qualities[kept].tolist()

    @property
    def trend(self) -> AgainTrend:
        """What has come until now."""
        self._thin(DRAWN)
        one = self._channel
        good = [quality <= Quality.FLAGGED and isfinite(value) for value, quality in zip(self._values, self._qualities, strict=True)]  # fmt: skip
        return AgainTrend(
            id=one.id,
            name=one.name,
            unit=one.unit,
            decimals=one.decimals,
            interval_s=one.interval_s,
            times=self._times,
            values=[value if ok else None for value, ok in zip(self._values, good, strict=True)],
            whole=self._whole,
        )


class _Curves:
    """The curves that come of an instrument's messages."""

    def __init__(self, setup: Setup) -> None:
        self._setup = setup
        self._open: dict[str, DrawnCurve] = {}
        self.all: list[DrawnCurve] = []

    def take(self, pieces: Sequence[CurvePiece]) -> None:
        """What an event adds to them."""
        for piece in pieces:
            if piece.instrument != self._setup.instrument.id:
                continue
            if isinstance(piece, CurveBegan):
                part = next(one for one in self._setup.curve if one.id == piece.curve)
                self._open[piece.curve] = DrawnCurve(begun_curve(piece, self._setup, part))
                self.all.append(self._open[piece.curve])
            elif piece.curve in self._open:
                self._open[piece.curve].take(piece)

    def finish(self, at: int) -> None:
        """The run ended."""
        for one in self.all:
            if one.about.state == "in progress":
                told = {"state": "interrupted", "why": "the run ended", "ended_at": at}
                one.about = one.about.model_copy(update=told)

    def write(self, folder: Path) -> None:
        """Have them in a folder, as a run has its own. Raises OSError."""
        shutil.rmtree(folder / CURVES, ignore_errors=True)  # of a version that was begun and not finished
        for number, one in enumerate(self.all, 1):
            one.about = one.about.model_copy(update={"number": number})
            write_curve(folder, one.about, *one.rows())

    def beside(self, folder: Path) -> list[CurveComparison]:
        """Beside those that were logged of the same instrument."""
        mine = self._setup.instrument.id
        logged = [one for one in run_curves(folder) if one.instrument == mine and one.source == "table"]
        return [
            CurveComparison(
                logged=before,
                again=after.about if after is not None else None,
                same=before is not None and after is not None and _same(folder, before, after),
            )
            for before, after in zip_longest(logged, self.all)
        ]


def _same(folder: Path, logged: Curve, again: DrawnCurve) -> bool:
    text = curve_text(again.about, *again.rows()).encode()
    try:
        return logged.state == again.about.state and curve_file(folder, logged).read_bytes() == text
    except OSError:
        return False


def compared(folder: Path, setup_text: str) -> Outcome:
    """What would come of it, side by side with what was logged. Nothing is written.

    Raises AgainError, SetupError, OSError.
    """
    state, setup, setups = _prepared(folder, setup_text)
    later = _state_with(state, setup)
    gathered = {channel.number: _Gathered(channel) for channel in later.channels}
    mine = [one for one in later.channels if one.instrument == setup.instrument.id]
    drawn = {one.number: _Thinned(one) for one in mine if not one.clock and not one.states}
    curves = _Curves(setup)
    starts = _Starts(state)
    for item in _read(folder, setups, later):
        curves.take(item.pieces)
        starts.see(item)
        if item.batch is not None:
            _gather(gathered, item.batch)
            for word, at, value in zip(item.batch.words, item.batch.times, item.batch.values, strict=True):
                one = drawn.get(word >> 8)
                if one is not None:
                    one.add(at, word & 0xFF, value)
    curves.finish(state.ended_at or 0)
    channels, from_memory = _comparison(folder, state, later, gathered, starts.of(setups))
    return Outcome(
        channels=channels,
        curves=curves.beside(folder),
        trends=[one.trend for one in drawn.values()],
        from_memory=from_memory,
    )


def keep(folder: Path, setup_text: str, at: int) -> Version:
    """Write another version of the run's CSV, and say what is in it. Raises AgainError, SetupError, OSError."""
    state, setup, setups = _prepared(folder, setup_text)
    later = _state_with(state, setup)
    number = max((one.version for one in versions(folder)), default=1) + 1
    place = folder / AGAIN / f"{number:03d}"
    place.mkdir(parents=True, exist_ok=True)
    name = f"{state.csv.removesuffix('.csv')}_again-{number}.csv"
    gathered = {channel.number: _Gathered(channel) for channel in later.channels}
    rule, curves = make_rule(later), _Curves(setup)
    last, starts = state.begun_at, _Starts(state)
    with open(place / name, "w", encoding="utf-8", newline="") as file:
        file.write(header(later.channels, later.row_rule))
        for item in _read(folder, setups, later):
            curves.take(item.pieces)
            starts.see(item)
            if item.batch is None:
                continue
            last = max(last, item.event.at)
            _gather(gathered, item.batch)
            file.writelines(rule.feed(item.event.at, item.batch))
        file.writelines(rule.finish(max(last, state.ended_at or last)))
    curves.finish(max(last, state.ended_at or last))
    curves.write(place)
    (place / f"{setup.instrument.id}.setup.toml").write_text(setup_text, "utf-8")
    channels, from_memory = _comparison(folder, state, later, gathered, starts.of(setups))
    version = Version(
        version=number,
        at=at,
        instrument=setup.instrument.name,
        csv=name,
        channels=channels,
        curves=curves.beside(folder),
        from_memory=from_memory,
    )
    # Last of all: a version without it is a half one, and does not count.
    write_whole(place / STATE, version.model_dump_json(indent=1))
    return version


def versions(folder: Path) -> list[Version]:
    """The versions there are besides what was logged, in order."""
    found = []
    for path in sorted((folder / AGAIN).glob(f"*/{STATE}")):
        try:
            found.append(Version.model_validate_json(path.read_bytes()))
        except (OSError, ValueError):
            continue  # half written
    return found


def csv_of(folder: Path, version: int) -> Path | None:
    """The CSV of a version; None where there is none."""
    found = next((one for one in versions(folder) if one.version == version), None)
    return folder / AGAIN / f"{version:03d}" / found.csv if found is not None else None


def curve_of(folder: Path, version: int, number: int) -> Path | None:
    """The CSV of a curve of a version; None where there is none."""
    place = folder / AGAIN / f"{version:03d}"
    found = next((one for one in run_curves(place) if one.number == number), None)
    return curve_file(place, found) if found is not None else None


def _prepared(folder: Path, text: str) -> tuple[RunState, Setup, list[Setup]]:
    state = read_state(folder)
    if state.status == "logging":
        raise AgainError("This run is still being logged. It can be read again when it has ended.")
    if (gone := taken_out(folder)) is not None:
        raise AgainError(f"{gone.words} The run cannot be read again.")
    setup = load(text)
    frozen = frozen_setups(folder)
    mine = next((one for one in frozen if one.instrument.id == setup.instrument.id), None)
    if mine is None:
        has = ", ".join(one.instrument.id for one in frozen)
        raise AgainError(f"No instrument “{setup.instrument.id}” took part in this run. There were: {has}.")
    # The bytes are those of the link as it was, whatever the corrected set-up says of it.
    link = setup.model_copy(update={"link": mine.link})
    shared = [one for one in frozen if one.link.address == mine.link.address and one is not mine]
    if any(one.framing != link.framing for one in shared):
        raise AgainError(
            "Other instruments on the same link were cut by another framing: leave [framing] as it was."
        )
    return state, link, [link if one is mine else one for one in frozen]


def _state_with(state: RunState, setup: Setup) -> RunState:
    """The run's state with the instrument's channels as the corrected set-up has them."""
    own = [channel for channel in state.channels if channel.instrument == setup.instrument.id]
    by_id = {channel.id: channel for channel in own}
    number = max((c.number for c in state.channels), default=0)
    number = max(number, *state.later.values()) if state.later else number
    numbers: dict[str, int] = {}
    for channel in setup.channel:
        before = by_id.get(channel.id)
        if before is None:
            number += 1
            if any(channel.id == other.id for other in state.channels):
                raise AgainError(
                    f"Another instrument of this run has a channel “{channel.id}”: choose another id."
                )
        numbers[channel.id] = before.number if before is not None else number
    made = [run_channel(setup, c, numbers, by_id[c.id].zero if c.id in by_id else 0.0) for c in setup.channel]
    place = state.channels.index(own[0]) if own else len(state.channels)
    others = [channel for channel in state.channels if channel.instrument != setup.instrument.id]
    return state.model_copy(update={"channels": [*others[:place], *made, *others[place:]]})


def _read(folder: Path, setups: list[Setup], state: RunState) -> Iterator[Entry]:
    numbers = state.numbers
    try:
        plans = plan_links(setups, numbers)
    except KeyError as error:
        raise AgainError(f"The channel {error} has no number in this run.") from None
    yield from reread(folder, plans=plans)


def _gather(gathered: dict[int, _Gathered], batch: Batch) -> None:
    for word, at, value in zip(batch.words, batch.times, batch.values, strict=True):
        one = gathered.get(word >> 8)
        if one is not None:
            one.add(at, word & 0xFF, value)


class _Starts:
    """From which line of the tape on each link can be read again: where the run took something along from memory, its readers' states stand behind that."""

    def __init__(self, state: RunState) -> None:
        self._led = state.lead_sequence
        self._first: dict[str, int] = {}

    def see(self, item: Entry) -> None:
        """The next line."""
        if isinstance(item.event, Start | Opened) and item.sequence > self._led:
            self._first.setdefault(item.link, item.sequence)

    def of(self, setups: list[Setup]) -> dict[str, int]:
        """By instrument, and of calculated channels; empty where nothing came from memory."""
        if not self._led:
            return {}
        links = {one.instrument.id: one.link.address for one in setups}
        return {of: self._first.get(link, NEVER) for of, link in {**links, CALCULATED: ""}.items()}


def _comparison(
    folder: Path, state: RunState, later: RunState, gathered: dict[int, _Gathered], starts: dict[str, int]
) -> tuple[list[Comparison], int]:
    """`starts`: by instrument, the line from which on it could be read again. Gives how many samples stand before those, too."""
    before = {channel.number: _Gathered(channel) for channel in state.channels}
    since = {channel.number: starts.get(channel.instrument, 0) for channel in state.channels}
    left_out = 0
    with open(folder / SAMPLES, "rb") as file:
        while data := file.read(PIECE * RECORD_SIZE):
            records = unpack(data)
            numbers, qualities = channels_of(records), qualities_of(records)
            sequences = sequences_of(records)
            for number in np.unique(numbers):
                if int(number) in before:
                    mine = numbers == number
                    known = mine & (sequences >= since[int(number)])
                    left_out += int(mine.sum() - known.sum())
                    if known.any():
                        before[int(number)].add_many(records[known], qualities[known])
    logged = {channel.id: before[channel.number].statistics for channel in state.channels}
    again = {channel.id: gathered[channel.number].statistics for channel in later.channels}
    named = {channel.id: channel for channel in (*state.channels, *later.channels)}
    return [
        Comparison(id=key, name=one.name, unit=one.unit, logged=logged.get(key), again=again.get(key))
        for key, one in named.items()
    ], left_out


def frozen_texts(folder: Path) -> dict[str, tuple[str, str]]:
    """The set-ups a run began with: by id, the instrument's name and the TOML."""
    found = {}
    for path in sorted((folder / "set-ups").glob("*.setup.toml")):
        text = path.read_text("utf-8")
        try:
            instrument = load(text).instrument
        except SetupError:
            continue  # of an older kind: it cannot be read again
        found[instrument.id] = (instrument.name, text)
    return found
