"""The conductor: carries procedures out. Commands go through the links' queues like anybody's; nothing is sent behind their backs."""

import logging
import threading
import time
from collections import deque
from collections.abc import Callable, Collection, Mapping, Sequence
from concurrent.futures import Future
from functools import partial
from typing import Protocol, TypeVar

from tidybench.core.acting.act import InstrumentAct
from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.procedure.bench_view import view_of
from tidybench.core.procedure.checked import Checked, checked
from tidybench.core.procedure.run import ProcedureRun, Wish
from tidybench.core.procedure.steps import Answer, ProcedureError
from tidybench.core.procedure.text import parse
from tidybench.core.samples import channels_of, qualities_of, unpack
from tidybench.core.tape.events import Note, PointTaken
from tidybench.core.values.point import Point
from tidybench.recorder.acts import Acts
from tidybench.recorder.clock import Clock
from tidybench.recorder.conducted import Conducted, left_status
from tidybench.recorder.employed import Employed
from tidybench.recorder.journal import Journal
from tidybench.recorder.refused import RequestRefused, without_controls
from tidybench.recorder.safe_states import SafeStates
from tidybench.recorder.state import KeptProcedure
from tidybench.runs.entry import Entry
from tidybench.wire.commands import GiveCommand
from tidybench.wire.procedures import ProcedureStatus

logger = logging.getLogger(__name__)

NOBODY = "a person"
"""Who asks, where nobody has said."""

READY_WITHIN = 20.0
"""Seconds that instruments have to be there again after a restart, before what is always done is done."""

ENDS_WITHIN = 10.0
"""Seconds that what is always done may take when Tidy Bench ends."""

MOST_AT_ONCE = 16
"""Procedures that are carried out at the same time."""

REMEMBERED = 3
"""Procedures that have ended and are still told with the status."""

T = TypeVar("T")
Told = Callable[[bool, str], None]


class Bench(Protocol):
    """What a procedure can have done besides commands: each gives what came of it to the callable, from any thread."""

    def mark(self, text: str, by: str, told: Told) -> None:
        """Mark the run that is on."""

    def take_point(self, name: str, span: int, by: str, told: Told) -> None:
        """Begin to take a point; it is told when that has begun."""

    def read(self, instrument: str, told: Told) -> None:
        """Ask an instrument once."""

    def draw(
        self, owner: str, name: str, columns: Sequence[tuple[str, str]], values: Sequence[float], told: Told
    ) -> None:
        """Add a row to a curve of this name; `owner`: whose it is; `columns`: name and unit of each value."""

    def drawn(self, owner: str, why: str) -> None:
        """The curves of an owner get no more rows; `why` they are not whole, "" where they are."""

    def capture(self, channels: Sequence[str], samples: int, before: int, at_most: int, told: Told) -> None:
        """Capture so many samples from now on; it is told when they are taken, or not within `at_most` microseconds."""

    def zero(self, channel: str, told: Told) -> None:
        """Zero a channel at its present value."""

    def begin_run(self, name: str, operator: str, told: Told, plan: RunPlan | None = None) -> None:
        """Begin a run of this name, or as `plan` says, now."""

    def end_run(self, reason: str, told: Told) -> None:
        """End the run that is on."""


class Conductor(threading.Thread):
    """Procedures that are carried out, each with instruments of its own. `begin`, `stop` and the like are the service's; `heard` is the
    writer's; `status` may be asked by any thread."""

    def __init__(
        self,
        employed: Callable[[], Employed],
        acts: Acts,
        bench: Bench,
        journal: Journal,
        clock: Clock,
        remember: Callable[[KeptProcedure, bool, Told | None], None],
        safe: SafeStates,
        left: Sequence[KeptProcedure],
    ) -> None:
        """`remember`: how far a procedure has come, whether it is still on, and who is told when that is written. `left`: those that the
        recorder was killed in."""
        super().__init__(name="conductor", daemon=True)
        self._employed, self._acts, self._bench = employed, acts, bench
        self._journal, self._clock, self._remember = journal, clock, remember
        self._left, self._safe = list(left), safe
        self._lock = threading.RLock()
        self._change = threading.Condition(self._lock)
        self._told: deque[Callable[[], None]] = deque()
        self._on: list[Conducted] = []
        self._over: deque[Conducted] = deque(maxlen=REMEMBERED)
        self._ending = False
        self._wanted: frozenset[int] = frozenset()  # channels that they depend on; nobody is woken for others
        self.listens = False

    # ---- what others want

    def check(
        self, text: str, plans: Collection[str] = (), called: Mapping[str, str] | None = None
    ) -> Checked:
        """`plans`: the names of those that runs can be begun from; `called`: the procedures that it carries out, by name. Raises
        RequestRefused."""
        employed = self._employed()
        setups, calculated = employed.setups, employed.calculations.calculated
        try:
            return checked(parse(text), view_of(setups, calculated, employed.numbers, plans, called))
        except ProcedureError as error:
            raise RequestRefused("invalid", str(error)) from error

    def begin(self, kept: KeptProcedure, made: Checked) -> None:
        """Carry it out, as it was checked. Raises RequestRefused where another one drives one of its instruments."""
        with self._change:
            self._refuse_beside(made)
            self._take(Conducted(ProcedureRun(made, self._clock.now()), kept))

    def may_begin(self, made: Checked) -> None:
        """Raises RequestRefused where it may not begin now."""
        with self._lock:
            self._refuse_beside(made)

    def _refuse_beside(self, made: Checked) -> None:
        if self._left:
            raise RequestRefused("conflict", f"“{self._left[0].name}” was interrupted, and is brought to its end. Wait for that.")  # fmt: skip
        if self._ending:
            raise RequestRefused("conflict", "Tidy Bench is being stopped.")
        for one in self._on:
            if one.kept.name == made.procedure.name:
                raise RequestRefused("conflict", f"“{one.kept.name}” is being carried out. Stop it first, or wait for its end.")  # fmt: skip
            both = sorted(one.run.made.instruments & made.instruments)
            if both:
                raise RequestRefused("conflict", f"{both[0]} is driven by “{one.kept.name}”. Stop that first, or wait for its end.")  # fmt: skip
        if len(self._on) >= MOST_AT_ONCE:
            raise RequestRefused("conflict", f"{MOST_AT_ONCE} procedures are being carried out already: that is the most.")  # fmt: skip

    def _take(self, one: Conducted) -> None:
        self._on.append(one)
        self._listen()
        self._change.notify()

    def _listen(self) -> None:
        self._wanted = frozenset(number for one in self._on for number in one.run.made.channels)
        self.listens = bool(self._on)

    def stop(self, id: int, by: str) -> None:
        """Its steps end at once. Raises RequestRefused where it is not on."""
        self._do(id, lambda run: run.stop(f"stopped by {by or NOBODY}"))

    def pause(self, id: int, on: bool, by: str) -> None:
        """Raises RequestRefused where it is not on."""
        self._do(id, lambda run: run.pause(on, by or NOBODY))

    def skip(self, id: int, by: str) -> None:
        """Raises RequestRefused where nothing is waited for that can be skipped."""
        if not self._do(id, lambda run: run.skip(by or NOBODY)):
            raise RequestRefused("conflict", "It waits for nothing that can be skipped.")

    def answer(self, id: int, question: int, value: bool | float | str, by: str) -> None:
        """Raises RequestRefused where this is not what is asked."""
        by = without_controls(by.strip(), "The name") or NOBODY

        def said(run: ProcedureRun) -> bool:
            asked = run.question
            if asked is None or asked.number != question:
                raise RequestRefused("conflict", "This is not asked any more.")
            return run.answer(_fitting(asked.answer, value), by)

        self._do(id, said)

    def answer_with_picture(self, id: int, question: int, keep: Callable[[], str], by: str) -> None:
        """`keep`: keeps the picture, and gives its name; it is not called where none is asked for. Raises RequestRefused."""
        by = without_controls(by.strip(), "The name") or NOBODY

        def asked(run: ProcedureRun) -> None:
            now = run.question
            if now is None or now.number != question or now.answer != "picture":
                raise RequestRefused("conflict", "No picture is asked for any more.")

        self._do(id, asked)
        name = keep()  # the writer's: the conductor is not held up by it
        if not self._do(id, lambda run: run.question is not None and run.question.number == question and run.answer(name, by)):  # fmt: skip
            raise RequestRefused("conflict", f"The picture is kept as {name}, but it is not asked for any more.")  # fmt: skip

    def _do(self, id: int, what: Callable[[ProcedureRun], T]) -> T:
        with self._change:
            one = next((one for one in self._on if one.kept.begun_at == id), None)
            if one is None:
                raise RequestRefused("conflict", "This procedure is not being carried out any more.")
            done = what(one.run)
            self._change.notify()
            return done

    def finish(self) -> None:
        """Tidy Bench ends: what is always done is done, and the thread ends. Any thread."""
        with self._change:
            self._ending = True
            for one in self._on:
                one.run.stop("Tidy Bench was stopped")
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
        records = unpack(packed)
        columns = channels_of(records), qualities_of(records), records["time"], records["value"]
        for number, quality, at, value in zip(*(one.tolist() for one in columns), strict=True):
            for one in self._on:
                one.run.sample(number, quality, at, value)

    def _point_taken(self, point: Point) -> None:
        for one in self._on:
            one.point_taken(point)

    # ---- the thread

    def run(self) -> None:
        if self._left:
            self._make_safe()
        while self._go_on():
            pass

    def _go_on(self) -> bool:
        """Wait for what is due, and do it; False at the end of all. It raises nothing: what is to come is done."""
        try:
            with self._change:
                due = self._due()
                if not self._told and (due is None or due > 0):
                    if self._ending and not self._on:
                        return False
                    self._change.wait(min(due, 0.5) if due is not None else 0.5)
                wishes = self._step()
            for one, wish in wishes:
                self._carry_out(one, wish)
        except Exception:
            logger.exception("the conductor failed")
            time.sleep(0.5)
        return True

    def _due(self) -> float | None:
        deadlines = [at for one in self._on if (at := one.run.deadline) is not None]
        return (min(deadlines) - self._clock.now()) / 1e6 if deadlines else None

    def _step(self) -> list[tuple[Conducted, Wish]]:
        while self._told:
            call = self._told.popleft()
            try:
                call()
            except Exception:
                logger.exception("what was told to a procedure failed")
        wishes: list[tuple[Conducted, Wish]] = []
        for one in list(self._on):
            wishes += [(one, wish) for wish in one.run.look(self._clock.now())]
            self._tell_log(one)
            if one.run.state != "running" and not one.drawn:
                # Before what is always done: that may end the run.
                one.drawn = True
                why = f"the procedure ended before it was whole: {one.run.why}"
                self._bench.drawn(_owner(one), why if one.run.failed else "")
            if one.run.ended_at is not None:
                self._end(one)
            elif one.has_moved():
                self._remember(one.kept, True, None)
        return wishes

    def _end(self, one: Conducted) -> None:
        self._on.remove(one)
        self._over.append(one)
        self._listen()
        if one.run.failed and not self._ending:  # at the end of Tidy Bench all of them are sent anyway
            self._safe.send(one.run.made.instruments, f"“{one.kept.name}” was stopped or has failed")
        self._remember(one.kept, False, None)

    def _tell_log(self, one: Conducted) -> None:
        several = f"“{one.kept.name}”, " if len(self._on) > 1 else ""
        for said in one.run.take_fresh():
            where = f"line {said.line}: " if said.line else ""
            self._journal.put(
                "", Note(said.at, "procedure", f"{several if where else ''}{where}{said.words}")
            )

    def _make_safe(self) -> None:
        """After a restart: what is always done, of each once its instruments are there."""
        until = time.monotonic() + READY_WITHIN
        while self._left and not self._ending:
            late = time.monotonic() >= until
            for left in list(self._left):
                made, why = self._checked(left)
                if late or (made is not None and all(self._acts.ready(one, self._employed()) for one in made.instruments)):  # fmt: skip
                    self._bring_to_its_end(left, made, why)
            time.sleep(0.1)
        for left in list(self._left):
            self._bring_to_its_end(left, *self._checked(left))

    def _checked(self, left: KeptProcedure) -> tuple[Checked | None, str]:
        """It, or why it cannot be carried out as the bench is now. It raises nothing: it is tried again, and then given up aloud."""
        try:
            return self.check(left.text, left.plans, left.called), ""
        except RequestRefused as error:
            return None, str(error)
        except Exception as error:
            return None, f"Tidy Bench itself failed ({error!r})"

    def _bring_to_its_end(self, left: KeptProcedure, made: Checked | None, why: str) -> None:
        with self._change:
            self._left.remove(left)
            if made is None:
                logger.error(
                    "“%s” was interrupted, and what is always done could not be done: %s", left.name, why
                )
                self._journal.put("", Note(self._clock.now(), "procedure", f"“{left.name}” was interrupted at line {left.line}, and its end could not be carried out: {why}"))  # fmt: skip
                self._remember(left, False, None)
                return
            where = f" when it was at line {left.line}, or a little further" if left.line else ""
            why = f"the recorder was restarted{where}"
            run = ProcedureRun(made, self._clock.now(), why, left.inside)
            run.line = left.line
            self._take(Conducted(run, left))

    # ---- wishes

    def _carry_out(self, one: Conducted, wish: Wish) -> None:
        by = f"the procedure “{one.kept.name}”"
        told = partial(self._tell, one, wish.number)
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
                self._bench.take_point(wish.text, wish.span, by, partial(self._ordered, one, wish.number))
            elif wish.what == "read":
                # The reading itself ends the step: what is told is why none can come.
                self._bench.read(wish.instrument, lambda good, words: None if good else told(False, words))
            elif wish.what == "draw":
                columns = list(zip(wish.values, wish.units, strict=True))
                figures = [float(value) for value in wish.values.values()]
                self._bench.draw(_owner(one), wish.text, columns, figures, told)
            elif wish.what == "capture":
                samples, before = int(wish.values["samples"]), int(wish.values["before"])
                self._bench.capture(wish.text.split(","), samples, before, wish.span, told)
            elif wish.what == "zero":
                self._bench.zero(wish.text, told)
            elif wish.what in ("begin run", "begin from plan"):
                plan = one.kept.plans[wish.text] if wish.what == "begin from plan" else None
                who = one.kept.by if one.kept.by != NOBODY else ""
                self._bench.begin_run(wish.text, who, told, plan)
            elif wish.what == "remember":
                with self._lock:
                    one.remember_inside()
                self._remember(one.kept, True, told)
            else:
                self._bench.end_run(by, told)
        except RequestRefused as error:
            told(False, str(error))
        except Exception as error:
            logger.exception("a step of a procedure failed")
            told(False, f"Tidy Bench itself failed ({error!r})")

    def _tell(self, one: Conducted, wish: int, good: bool, words: str) -> None:
        self._post(partial(one.run.told, wish, good, words))

    @staticmethod
    def _ended(told: Told, act: InstrumentAct) -> None:
        ended = act.ended
        assert ended is not None
        told(ended.outcome in ("answered", "sent"), ended.words)

    def _ordered(self, one: Conducted, wish: int, good: bool, words: str) -> None:
        """A point is being taken: its number is in the words. The procedure is told when it is taken."""
        if good:
            self._post(partial(one.waits_for_point, wish, int(words)))
        else:
            self._tell(one, wish, False, words)

    # ---- how they stand

    def status(self) -> list[ProcedureStatus]:
        """Those that are carried out, and those that have ended last. Any thread."""
        with self._lock:
            numbers = self._employed().numbers
            return [*map(left_status, self._left), *(one.status(numbers) for one in [*self._on, *self._over])]

    def whole(self, id: int) -> ProcedureStatus | None:
        """One of them with its text and its whole log. Any thread."""
        with self._lock:
            left = next((one for one in self._left if one.begun_at == id), None)
            if left is not None:
                return left_status(left, whole=True)
            one = next((one for one in [*self._on, *self._over] if one.kept.begun_at == id), None)
            return one.status(self._employed().numbers, whole=True) if one is not None else None


def _owner(one: Conducted) -> str:
    """Whose the curves are that a procedure draws."""
    return f"procedure {one.kept.begun_at}"


def _fitting(wanted: Answer, value: bool | float | str) -> bool | float | str:
    """An answer of the kind that is asked for. Raises RequestRefused."""
    if wanted == "text":
        if not isinstance(value, str) or not value.strip():
            raise RequestRefused("invalid", "A text is wanted.")
        return without_controls(value.strip(), "The answer")
    if wanted == "number":
        if isinstance(value, bool | str):
            raise RequestRefused("invalid", "A number is wanted.")
        return float(value)
    if wanted == "picture":
        if value is not False:
            raise RequestRefused("invalid", "A picture is wanted, or no for none.")
        return False
    if not isinstance(value, bool):
        raise RequestRefused("invalid", "Yes or no is wanted.")
    return value


def answered(done: "Future[str]", told: Told) -> None:
    """Give what came of a call to whoever waits for it."""

    def after(future: "Future[str]") -> None:
        error = future.exception()
        if error is None:
            told(True, future.result())
        else:
            told(False, str(error))

    done.add_done_callback(after)
