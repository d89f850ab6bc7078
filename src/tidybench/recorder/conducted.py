"""One procedure that is carried out: its run, what is remembered of it, and the point that it waits for."""

import time
from collections.abc import Mapping

from tidybench.core.procedure.run import ProcedureRun
from tidybench.core.values.point import Point
from tidybench.recorder.state import KeptProcedure
from tidybench.wire.procedures import InsideStatus, LoggedStep, ProcedureStatus, question_status

SHOWN = 40
"""Lines of the log that are told with the status."""

REMEMBERED_EVERY = 1.0
"""Seconds between two times that its line is written down."""


class Conducted:
    """The conductor's, under its lock."""

    def __init__(self, run: ProcedureRun, kept: KeptProcedure) -> None:
        self.run, self.kept = run, kept
        self._point: tuple[int, int] | None = None  # the wish that waits for a point, and the point's number
        self._moved_at = 0.0
        self.drawn = False  # its curves are said to be over

    def has_moved(self) -> bool:
        """Whether its line is to be written down, so that it can be said where it was when the recorder was killed; now and then, as that is
        a file."""
        now = time.monotonic()
        if self.kept.line == self.run.line or now - self._moved_at < REMEMBERED_EVERY:
            return False
        self._moved_at = now
        self.kept = self.kept.model_copy(update={"line": self.run.line})
        return True

    def remember_inside(self) -> None:
        """Which procedures it is carrying out now."""
        self.kept = self.kept.model_copy(update={"line": self.run.line, "inside": self.run.inside})

    def waits_for_point(self, wish: int, number: int) -> None:
        """A point of this number is being taken for a wish."""
        self._point = wish, number

    def point_taken(self, point: Point) -> None:
        """Tell the wish that waits for it, if any does."""
        if self._point is None or point.number != self._point[1] or point.version != 1:
            return
        wish, self._point = self._point[0], None
        words = f"point {point.number}: {f'given up, {point.gave_up}' if point.gave_up else point.verdict or 'taken'}"
        self.run.told(wish, not point.gave_up, words)

    def status(self, numbers: Mapping[str, int], whole: bool = False) -> ProcedureStatus:
        """How it stands; `whole`: with its text and its whole log. `numbers` of all channels, by id."""
        run, kept = self.run, self.kept
        waits, until = run.waits
        looked_at = set(run.channels)
        return ProcedureStatus(
            id=kept.begun_at,
            name=kept.name,
            text=kept.text if whole else "",
            called=kept.called if whole else {},
            by=kept.by,
            state="paused" if run.paused else run.state,
            line=run.line,
            inside=[InsideStatus(name=name, line=line) for name, line in run.places],
            instruments=sorted(run.made.instruments),
            waits=waits,
            progress=run.progress,
            channels=[id for id, number in numbers.items() if number in looked_at],
            until=until,
            question=question_status(run.question),
            begun_at=run.begun_at,
            ended_at=run.ended_at,
            why=run.why,
            failed=run.failed,
            log=[
                LoggedStep(at=one.at, line=one.line, words=one.words, good=one.good)
                for one in (run.log if whole else run.log[-SHOWN:])
            ],
        )


def left_status(kept: KeptProcedure, whole: bool = False) -> ProcedureStatus:
    """Of one that the recorder was killed in, and whose instruments are not there again yet; `whole`: with its text."""
    return ProcedureStatus(
        id=kept.begun_at,
        name=kept.name,
        text=kept.text if whole else "",
        called=kept.called if whole else {},
        by=kept.by,
        state="at its end",
        line=kept.line,
        inside=[InsideStatus(name=name, line=0) for name in kept.inside],
        instruments=[],
        waits="its instruments to be there again, to do what is always done",
        progress="",
        channels=[],
        until=None,
        question=None,
        begun_at=kept.begun_at,
        ended_at=None,
        why="the recorder was restarted",
        failed=True,
        log=[],
    )
