"""The conductor: carries procedures out. Commands go through the links' queues like anybody's; nothing is sent behind their backs."""

import logging
import threading
import time
from collections import deque
from collections.abc import Callable, Collection, Sequence
from concurrent.futures import Future
from functools import partial
from typing import Protocol, TypeVar

from tidybench.core.acting.act import InstrumentAct
from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.procedure.bench_view import BenchView, view_of
from tidybench.core.procedure.checked import Checked, checked
from tidybench.core.procedure.run import ProcedureRun, Wish
from tidybench.core.procedure.steps import ProcedureError
from tidybench.core.procedure.text import parse
from tidybench.core.samples import channels_of, qualities_of, unpack
from tidybench.core.tape.events import Note, PointTaken
from tidybench.core.values.point import Point
from tidybench.recorder.acts import Acts
from tidybench.recorder.clock import Clock
from tidybench.recorder.employed import Employed
from tidybench.recorder.journal import Journal
from tidybench.recorder.refused import RequestRefused, without_controls
from tidybench.recorder.safe_states import SafeStates
from tidybench.recorder.state import KeptProcedure
from tidybench.runs.entry import Entry
from tidybench.wire.commands import GiveCommand
from tidybench.wire.procedures import LoggedStep, ProcedureStatus, QuestionStatus

logger = logging.getLogger(__name__)

SHOWN = 40
"""Lines of the log that are told with the status."""

NOBODY = "a person"
"""Who asks, where nobody has said."""

READY_WITHIN = 20.0
"""Seconds that instruments have to be there again after a restart, before what is always done is done."""

REMEMBERED_EVERY = 1.0
"""Seconds between two times that its line is written down."""

ENDS_WITHIN = 10.0
"""Seconds that what is always done may take when Tidy Bench ends."""

T = TypeVar("T")
Told = Callable[[bool, str], None]


class Bench(Protocol):
    """What a procedure can have done besides commands: each gives what came of it to the callable, from any thread."""

    def mark(self, text: str, by: str, told: Told) -> None:
        """Mark the run that is on."""

    def take_point(self, name: str, span: int, by: str, told: Told) -> None:
        """Begin to take a point; it is told when that has begun."""

    def zero(self, channel: str, told: Told) -> None:
        """Zero a channel at its present value."""

    def begin_run(self, name: str, operator: str, told: Told, plan: RunPlan | None = None) -> None:
        """Begin a run of this name, or as `plan` says, now."""

    def end_run(self, reason: str, told: Told) -> None:
        """End the run that is on."""


class Conductor(threading.Thread):
    """One procedure at a time. `begin`, `stop` and the like are the service's; `heard` is the writer's; `status` may be asked by any thread."""

    def __init__(
        self,
        employed: Callable[[], Employed],
        acts: Acts,
        bench: Bench,
        journal: Journal,
        clock: Clock,
        remember: Callable[[KeptProcedure, bool], None],
        safe: SafeStates,
        left: KeptProcedure | None,
    ) -> None:
        """`remember`: how far a procedure has come, and whether it is still on. `left`: one that the recorder was killed in."""
        super().__init__(name="conductor", daemon=True)
        self._employed, self._acts, self._bench = employed, acts, bench
        self._journal, self._clock, self._remember = journal, clock, remember
        self._left, self._safe = left, safe
        self._lock = threading.RLock()
        self._change = threading.Condition(self._lock)
        self._told: deque[Callable[[], None]] = deque()
        self._run: ProcedureRun | None = None
        self._kept: KeptProcedure | None = left
        self._point: tuple[int, int] | None = None  # the wish that waits for a point, and the point's number
        self._ending = False
        self._wanted: frozenset[int] = frozenset()  # channels that it depends on; nobody is woken for others
        self._remembered_at = 0.0
        self.listens = False

    # ---- what others want

    def check(self, text: str, plans: Collection[str] = ()) -> Checked:
        """`plans`: the names of those that runs can be begun from. Raises RequestRefused."""
        try:
            return checked(parse(text), _view(self._employed(), plans))
        except ProcedureError as error:
            raise RequestRefused("invalid", str(error)) from error

    def begin(self, kept: KeptProcedure) -> None:
        """Carry it out. Raises RequestRefused where it cannot be, or another one is."""
        made = self.check(kept.text, kept.plans)
        with self._change:
            if self._left is not None or (self._run is not None and self._run.state != "ended"):
                assert self._kept is not None
                raise RequestRefused("conflict", f"“{self._kept.name}” is being carried out. Stop it first, or wait for its end.")  # fmt: skip
            self._take(ProcedureRun(made, self._clock.now()), kept)

    def _take(self, run: ProcedureRun, kept: KeptProcedure) -> None:
        self._run, self._kept, self._point = run, kept, None
        self._wanted = frozenset(run.made.channels)
        self.listens = True
        self._change.notify()

    def stop(self, by: str) -> None:
        """Its steps end at once. Raises RequestRefused where none is on."""
        self._do(lambda run: run.stop(f"stopped by {by or NOBODY}"))

    def pause(self, on: bool, by: str) -> None:
        """Raises RequestRefused where none is on."""
        self._do(lambda run: run.pause(on, by or NOBODY))

    def skip(self, by: str) -> None:
        """Raises RequestRefused where nothing is waited for that can be skipped."""
        if not self._do(lambda run: run.skip(by or NOBODY)):
            raise RequestRefused("conflict", "It waits for nothing that can be skipped.")

    def answer(self, line: int, value: bool | float, by: str) -> None:
        """Raises RequestRefused where this is not what is asked."""
        by = without_controls(by.strip(), "The name") or NOBODY

        def said(run: ProcedureRun) -> bool:
            question = run.question
            if question is None or question.line != line:
                raise RequestRefused("conflict", "This is not asked any more.")
            if isinstance(value, bool) == (question.unit is not None):
                raise RequestRefused("invalid", "A number is wanted." if question.unit is not None else "Yes or no is wanted.")  # fmt: skip
            return run.answer(value, by)

        self._do(said)

    def _do(self, what: Callable[[ProcedureRun], T]) -> T:
        with self._change:
            run = self._run
            if run is None or run.state == "ended":
                raise RequestRefused("conflict", "No procedure is being carried out.")
            done = what(run)
            self._change.notify()
            return done

    def finish(self) -> None:
        """Tidy Bench ends: what is always done is done, and the thread ends. Any thread."""
        with self._change:
            self._ending = True
            if self._run is not None and self._run.state == "running":
                self._run.stop("Tidy Bench was stopped")
            self._change.notify()
        if self.is_alive():
            self.join(ENDS_WITHIN)

    # ---- what is heard

    def heard(self, entries: Sequence[Entry]) -> None:
        """What has happened, in order; sealed entries. The writer's."""
        if not self.listens:
            return
        wanted = self._wanted
        packed = b"".join(
            entry.packed
            for entry in entries
            if entry.batch is not None and any(word >> 8 in wanted for word in entry.batch.words)
        )
        points = [entry.event for entry in entries if type(entry.event) is PointTaken]
        if packed:
            self._post(partial(self._samples, packed))
        for point in points:
            self._post(partial(self._point_taken, Point.model_validate(point.point)))

    def _post(self, call: Callable[[], None]) -> None:
        with self._change:
            self._told.append(call)
            self._change.notify()

    def _samples(self, packed: bytes) -> None:
        records, run = unpack(packed), self._run
        assert run is not None
        columns = channels_of(records), qualities_of(records), records["time"], records["value"]
        for number, quality, at, value in zip(*(one.tolist() for one in columns), strict=True):
            run.sample(number, quality, at, value)

    def _point_taken(self, point: Point) -> None:
        if self._point is None or self._run is None or point.number != self._point[1] or point.version != 1:
            return
        wish, self._point = self._point[0], None
        words = f"point {point.number}: {f'given up, {point.gave_up}' if point.gave_up else point.verdict or 'taken'}"
        self._run.told(wish, not point.gave_up, words)

    # ---- the thread

    def run(self) -> None:
        if self._left is not None:
            self._make_safe(self._left)
        while self._go_on():
            pass

    def _go_on(self) -> bool:
        """Wait for what is due, and do it; False at the end of all. It raises nothing: what is to come is done."""
        try:
            with self._change:
                due = self._due()
                if not self._told and (due is None or due > 0):
                    if self._ending and (self._run is None or self._run.state == "ended"):
                        return False
                    self._change.wait(min(due, 0.5) if due is not None else 0.5)
                wishes = self._step()
            for wish in wishes:
                self._carry_out(wish)
        except Exception:
            logger.exception("the conductor failed")
            time.sleep(0.5)
        return True

    def _due(self) -> float | None:
        deadline = self._run.deadline if self._run is not None else None
        return None if deadline is None else (deadline - self._clock.now()) / 1e6

    def _step(self) -> list[Wish]:
        while self._told:
            call = self._told.popleft()
            try:
                call()
            except Exception:
                logger.exception("what was told to a procedure failed")
        run = self._run
        if run is None or run.state == "ended":
            return []
        wishes = run.look(self._clock.now())
        self._tell_log(run)
        if run.ended_at is not None:
            self.listens = False
            if run.failed and not self._ending:  # at the end of Tidy Bench all of them are sent anyway
                self._safe.send(
                    run.made.instruments, f"“{run.made.procedure.name}” was stopped or has failed"
                )
            assert self._kept is not None
            self._remember(self._kept, False)
        else:
            self._remember_line(run.line)
        return wishes

    def _remember_line(self, line: int) -> None:
        """So that it can be said where it was when the recorder was killed; now and then, as that is a file."""
        kept, now = self._kept, time.monotonic()
        if kept is not None and kept.line != line and now - self._remembered_at >= REMEMBERED_EVERY:
            self._remembered_at = now
            self._kept = kept.model_copy(update={"line": line})
            self._remember(self._kept, True)

    def _tell_log(self, run: ProcedureRun) -> None:
        for one in run.take_fresh():
            where = f"line {one.line}: " if one.line else ""
            self._journal.put("", Note(one.at, "procedure", f"{where}{one.words}"))

    def _make_safe(self, left: KeptProcedure) -> None:
        """After a restart: what is always done, once the instruments are there."""
        until = time.monotonic() + READY_WITHIN
        made: Checked | None = None
        why = ""
        while time.monotonic() < until and not self._ending:
            try:
                made = self.check(left.text, left.plans)
                if all(self._acts.ready(one, self._employed()) for one in made.instruments):
                    break
            except RequestRefused as error:
                why = str(error)
            time.sleep(0.1)
        with self._change:
            self._left = None
            if made is None:
                logger.error(
                    "“%s” was interrupted, and what is always done could not be done: %s", left.name, why
                )
                self._journal.put("", Note(self._clock.now(), "procedure", f"“{left.name}” was interrupted at line {left.line}, and its end could not be carried out: {why}"))  # fmt: skip
                self._remember(left, False)
                return
            where = f" when it was at line {left.line}, or a little further" if left.line else ""
            run = ProcedureRun(made, self._clock.now(), f"the recorder was restarted{where}")
            run.line = left.line
            self._take(run, left)

    # ---- wishes

    def _carry_out(self, wish: Wish) -> None:
        by = f"the procedure “{self._kept.name}”" if self._kept is not None else "a procedure"
        run = self._run
        assert run is not None
        told = partial(self._tell, run, wish.number)
        try:
            if wish.what == "command":
                asked = GiveCommand(
                    instrument=wish.instrument,
                    command=wish.command,
                    values=wish.values,
                    by=by[:80],
                    sure=True,
                )
                self._acts.give(asked, self._employed(), self._clock.now(), partial(self._ended, told))
            elif wish.what == "mark":
                self._bench.mark(wish.text, by, told)
            elif wish.what == "point":
                self._bench.take_point(
                    wish.text, wish.span, by, partial(self._ordered, run, wish.number, told)
                )
            elif wish.what == "zero":
                self._bench.zero(wish.text, told)
            elif wish.what in ("begin run", "begin from plan"):
                plan = self._kept.plans[wish.text] if self._kept and wish.what == "begin from plan" else None
                who = self._kept.by if self._kept is not None and self._kept.by != NOBODY else ""
                self._bench.begin_run(wish.text, who, told, plan)
            else:
                self._bench.end_run(by, told)
        except RequestRefused as error:
            told(False, str(error))
        except Exception as error:
            logger.exception("a step of a procedure failed")
            told(False, f"Tidy Bench itself failed ({error!r})")

    def _tell(self, run: ProcedureRun, wish: int, good: bool, words: str) -> None:
        def tell() -> None:
            if self._run is run:  # numbers begin again with the next one
                run.told(wish, good, words)

        self._post(tell)

    @staticmethod
    def _ended(told: Told, act: InstrumentAct) -> None:
        ended = act.ended
        assert ended is not None
        told(ended.outcome in ("answered", "sent"), ended.words)

    def _ordered(self, run: ProcedureRun, wish: int, told: Told, good: bool, words: str) -> None:
        """A point is being taken: its number is in the words. It is told when it is taken."""
        if not good:
            told(False, words)
            return

        def wait() -> None:
            if self._run is run:
                self._point = wish, int(words)

        self._post(wait)

    # ---- how it stands

    @property
    def line(self) -> int:
        """The present step's line, 0 for none."""
        return self._run.line if self._run is not None else 0

    def status(self, whole: bool = False) -> ProcedureStatus | None:
        """The one that is carried out, or the last that was; `whole`: with its text and its whole log. Any thread."""
        with self._lock:
            run, kept = self._run, self._kept
            if run is None or kept is None:
                return None
            waits, until = run.waits
            question = run.question
            return ProcedureStatus(
                name=kept.name,
                text=kept.text if whole else "",
                by=kept.by,
                state="paused" if run.paused else run.state,
                line=run.line,
                waits=waits,
                progress=run.progress,
                until=until,
                question=QuestionStatus(line=question.line, text=question.text, unit=question.unit)
                if question
                else None,
                begun_at=run.begun_at,
                ended_at=run.ended_at,
                why=run.why,
                failed=run.failed,
                log=[
                    LoggedStep(at=one.at, line=one.line, words=one.words, good=one.good)
                    for one in (run.log if whole else run.log[-SHOWN:])
                ],
            )


def answered(done: "Future[str]", told: Told) -> None:
    """Give what came of a call to whoever waits for it."""

    def after(future: "Future[str]") -> None:
        error = future.exception()
        if error is None:
            told(True, future.result())
        else:
            told(False, str(error))

    done.add_done_callback(after)


def _view(employed: Employed, plans: Collection[str]) -> BenchView:
    return view_of(employed.setups, employed.calculations.calculated, employed.numbers, plans)
