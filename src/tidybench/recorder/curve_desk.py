"""The curves that come: drawn in memory as they do, and kept with the run that is on. The writer's alone."""

import logging
import math
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from tidybench.core.curves.drawn import DrawnCurve, begun_curve
from tidybench.core.curves.piece import CurveBegan, CurveEnded, CurvePiece, CurveRows
from tidybench.core.quality import Quality
from tidybench.core.setup import Setup
from tidybench.core.setup.curves import CurvePart
from tidybench.core.values.curve import Curve, CurveColumn
from tidybench.runs.entry import Entry
from tidybench.runs.log import RunLog
from tidybench.wire.curves import CurveStatus

logger = logging.getLogger(__name__)

MOST_CURVES, MOST_ROWS = 50, 1_000_000
"""Curves, and rows of all of them, that are remembered."""

SLICE = 5_000
"""Rows of a curve that is whole already that are written at once: others are logged meanwhile."""

SHOWN = 20
"""Curves that the status tells of, besides those in progress."""


@dataclass(slots=True)
class _One:
    drawn: DrawnCurve
    run: str = ""  # the run it is kept with, and how that is called
    run_name: str = ""
    item: str = ""
    number: int = 0  # in that run
    waits: bool = False  # for a run that is being put in order

    def status(self) -> CurveStatus:
        return CurveStatus(
            **self.drawn.about.model_dump(exclude={"words"}),
            run=self.run,
            run_name=self.run_name,
            item=self.item,
            kept=self.number,
        )


class CurveDesk:
    """Everything here happens in the writer's thread."""

    def __init__(self, log: Callable[[], RunLog | None], goes_on: Callable[[], bool]) -> None:
        """`log`: the run that is on, None for none, and while one is put in order, when `goes_on` is true nevertheless."""
        self._log, self._goes_on = log, goes_on
        self._open: dict[tuple[str, str], _One] = {}
        self._recent: deque[_One] = deque()
        self._count = 0
        self._waiting = False
        self._writing: deque[tuple[_One, int]] = deque()
        self.has_ended = False  # since the status was told the last time

    def feed(self, entries: Sequence[Entry], setups: Sequence[Setup]) -> None:
        """What events added to curves."""
        if self._writing:
            self._write_on()
        if not self._open and not self._waiting and not any(setup.curve for setup in setups):
            return
        if self._waiting and self._log() is not None:
            self._catch_up()
        for entry in entries:
            for piece in entry.pieces:
                try:
                    self._take(piece, setups)
                except Exception:  # what was measured is logged all the same
                    logger.exception("a curve could not be drawn")

    def _take(self, piece: CurvePiece, setups: Sequence[Setup]) -> None:
        key = piece.instrument, piece.curve
        if isinstance(piece, CurveBegan):
            found = _part(piece, setups)
            if found is not None:
                self._begin(key, begun_curve(piece, *found))
            return
        one = self._open.get(key)
        if one is None:
            if isinstance(piece, CurveEnded):
                self._amend(piece)
            return
        self._keep(one)
        one.drawn.take(piece)
        log = self._log()
        kept = log.curves if log is not None and one.number and one.run == log.state.id else None
        if isinstance(piece, CurveRows) and kept is not None:
            kept.add(one.number, piece.values, piece.qualities)
        elif isinstance(piece, CurveEnded):
            del self._open[key]
            if kept is not None:
                kept.end(one.drawn.about, one.number)
            self._forget()

    def row(
        self, owner: str, name: str, columns: Sequence[tuple[str, str]], values: Sequence[float], at: int
    ) -> int:
        """One more row of a curve that a procedure draws; gives how many it has."""
        key = owner, name
        one = self._open.get(key)
        if one is None:
            about = Curve(
                number=1,
                curve="",
                name=name[:200],
                source="procedure",
                begun_at=at,
                columns=[CurveColumn(name=title[:80], unit=unit[:40]) for title, unit in columns],
            )
            one = self._begin(key, about)
        self._keep(one)
        marks = [[int(Quality.OK if math.isfinite(value) else Quality.NO_READING)] for value in values]
        one.drawn.add([[value] for value in values], marks)
        log = self._log()
        if log is not None and one.number and one.run == log.state.id:
            log.curves.add(one.number, [[value] for value in values], marks)
        return one.drawn.about.rows

    def whole(self, owner: str, why: str, at: int) -> None:
        """The curves of a procedure get no more rows; `why` they are not whole, "" where they are."""
        for key in [key for key in self._open if key[0] == owner]:
            one = self._open.pop(key)
            told = {"state": "not whole" if why else "complete", "why": why[:500], "ended_at": at}
            one.drawn.about = one.drawn.about.model_copy(update=told)
            log = self._log()
            if log is not None and one.number and one.run == log.state.id:
                log.curves.end(one.drawn.about, one.number)
        self._forget()

    def drawn(
        self, about: Curve, values: Sequence[Sequence[float]], qualities: Sequence[Sequence[int]]
    ) -> int:
        """A curve that is whole already; gives its number."""
        key = "", f"capture {self._count + 1}"
        one = self._begin(key, about)
        one.drawn.add(values, qualities)
        one.drawn.about = one.drawn.about.model_copy(update={"state": "complete", "ended_at": about.ended_at})
        del self._open[key]
        if one.number:
            self._writing.append((one, 0))
            self._write_on()
        self._forget()
        return one.drawn.about.number

    def interrupted(self, about: Curve) -> None:
        """A curve that Tidy Bench was not there to draw: it has no rows, and says so."""
        key = "", f"interrupted {self._count + 1}"
        one = self._begin(key, about)
        del self._open[key]
        one.drawn.about = one.drawn.about.model_copy(
            update={"state": "interrupted", "why": about.why, "ended_at": about.ended_at}
        )
        log = self._log()
        if log is not None and one.number and one.run == log.state.id:
            log.curves.end(one.drawn.about, one.number)
        self._forget()

    def _write_on(self) -> None:
        """The next rows of what is written bit by bit."""
        if not self._writing:
            return
        one, done = self._writing.popleft()
        log = self._log()
        if log is None or one.run != log.state.id:
            return
        about = one.drawn.about
        log.curves.add(one.number, *one.drawn.rows(done, done + SLICE))
        if done + SLICE < about.rows:
            self._writing.appendleft((one, done + SLICE))
        else:
            log.curves.end(about, one.number)

    def finish(self) -> None:
        """The run is about to end: all of it is written."""
        while self._writing:
            self._write_on()

    def _begin(self, key: tuple[str, str], about: Curve) -> _One:
        self._count += 1
        one = _One(DrawnCurve(about.model_copy(update={"number": self._count})))
        self._open[key] = one
        self._recent.append(one)
        self._keep(one)
        return one

    def _keep(self, one: _One) -> None:
        """The run that is on has all of it: also where it began when the curve was on already."""
        log = self._log()
        if log is None:
            if not one.run and self._goes_on():
                one.waits = self._waiting = True
            return
        if one.run == log.state.id:
            return
        one.run, one.run_name, one.item = log.state.id, log.state.name, log.state.item
        one.number = log.curves.begin(one.drawn.about) or 0
        if one.number:
            log.curves.add(one.number, *one.drawn.rows())

    def _catch_up(self) -> None:
        """The run is in order: what came meanwhile is its."""
        self._waiting = False
        for one in [one for one in self._recent if one.waits]:
            one.waits = False
            self._keep(one)
            log = self._log()
            if log is not None and one.number and one.drawn.about.state != "in progress":
                log.curves.end(one.drawn.about, one.number)

    def _amend(self, piece: CurveEnded) -> None:
        """Something came after its end."""
        for one in reversed(self._recent):
            about = one.drawn.about
            if (about.instrument, about.curve) == (piece.instrument, piece.curve):
                one.drawn.take(piece)
                log = self._log()
                if log is not None and one.number and one.run == log.state.id:
                    log.curves.end(one.drawn.about, one.number)
                return

    def _forget(self) -> None:
        """One has ended: the oldest go."""
        self.has_ended = True
        open_ones = list(self._open.values())
        while len(self._recent) > MOST_CURVES or sum(o.drawn.about.rows for o in self._recent) > MOST_ROWS:
            oldest = next((one for one in self._recent if one not in open_ones), None)
            if oldest is None or oldest is self._recent[-1]:
                return
            self._recent.remove(oldest)

    def status(self) -> list[CurveStatus]:
        """Those in progress and the newest, the newest last."""
        on = {id(one) for one in self._open.values()}
        newest = {id(one) for one in list(self._recent)[-SHOWN:]}
        return [one.status() for one in self._recent if id(one) in on | newest]

    def look(self, number: int) -> tuple[CurveStatus, list[list[float]]] | None:
        """A curve with its rows, a list for each column; None where it is not remembered."""
        for one in self._recent:
            if one.drawn.about.number == number:
                return one.status(), one.drawn.rows()[0]
        return None


def _part(piece: CurvePiece, setups: Sequence[Setup]) -> tuple[Setup, CurvePart] | None:
    for setup in setups:
        if setup.instrument.id == piece.instrument:
            for part in setup.curve:
                if part.id == piece.curve:
                    return setup, part
    return None
