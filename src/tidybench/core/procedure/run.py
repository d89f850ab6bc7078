"""Carrying a procedure out: a state machine that is told what happened, and says what it wants done.

It does nothing by itself: whoever drives it (recorder.conductor, a rehearsal, a test) feeds it time, samples and what came of its
wishes, and carries those out. The same in gives the same out.
"""

import math
from collections.abc import Callable, Generator, Iterable, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

from tidybench.core.batch import NAN
from tidybench.core.expression.program import Nothing, Program
from tidybench.core.plan.steadiness import Steadiness
from tidybench.core.procedure.checked import PLACED, TEXTS, Checked, text_fields
from tidybench.core.procedure.spans import span_words
from tidybench.core.procedure.steps import (
    ASKED,
    Answer,
    Ask,
    BeginRun,
    Capture,
    CarryOut,
    Draw,
    Else,
    EndRun,
    For,
    Formula,
    If,
    Let,
    Mark,
    Point,
    Procedure,
    Read,
    Step,
    Tell,
    Wait,
    WaitSteady,
    WaitUntil,
    Words,
    ZeroIt,
    steps_in,
)
from tidybench.core.values.figure import figure

State = Literal["running", "at its end", "ended"]
Wanted = Literal[
    "command",
    "mark",
    "point",
    "read",
    "draw",
    "capture",
    "zero",
    "begin run",
    "begin from plan",
    "end run",
    "remember",
]
"""`remember`: which procedures it is within, so that after a kill what is always done is done of each."""

AT_ONCE = 500
"""Steps that are carried out without a pause between them."""

LOGGED = 2000

NO_READING = "no reading"
"""What a name stands for where a reading did not come, and the procedure went on."""

NO_PICTURE = "no picture"
"""What a name stands for where a person went on without one."""

LINK_PATIENCE = 30_000_000
"""Microseconds besides its own time in which a command ends: in line, with its error queue asked."""


@dataclass(slots=True, frozen=True)
class Wish:
    """Something that is to be done. `number` tells it from the others of this procedure; what comes of it is `told`."""

    number: int
    what: Wanted
    line: int
    text: str = ""
    instrument: str = ""
    command: str = ""
    values: dict[str, float | str] = field(default_factory=dict)
    span: int = 0
    units: tuple[str, ...] = ()  # of the values of a row, in their order


@dataclass(slots=True, frozen=True)
class Logged:
    """A line of what was done. `at` in microseconds; `line` of the procedure, 0 for none."""

    at: int
    line: int
    words: str
    good: bool = True


@dataclass(slots=True, frozen=True)
class Question:
    """What a person is asked. `number` tells it from the others of this procedure; `unit`: of a number that is wanted; `name`: under which the
    procedure goes on with the answer, "" for none."""

    number: int
    line: int
    text: str
    answer: Answer = "yes or no"
    unit: str = ""
    name: str = ""


class Stopped(Exception):
    """The steps end here; why, in words."""

    def __init__(self, why: str) -> None:
        self.why = why
        super().__init__(why)


class CalledOff(Stopped):
    """All steps end here, those of procedures that carry this one out too."""


@dataclass(slots=True)
class _Pause:
    """What a step waits for. `until`: the time at which it is over, None for never."""

    until: int | None = None
    program: Program | None = None
    steady: tuple[int, Steadiness] | None = None
    band: float = 0.0
    unit: str = ""
    wish: Wish | None = None
    reading: tuple[int, int] | None = (
        None  # the channel's number, and the time after which it must have been measured
    )
    question: Question | None = None
    words: str = ""
    over: "tuple[bool, object] | None" = None  # whether it came as it was to, and what came


Steps = Generator[_Pause, "tuple[bool, object]", None]


class ProcedureRun:
    """One procedure on its way. One thread at a time may use it."""

    def __init__(self, made: Checked, now: int, called_off: str = "", inside: Sequence[str] = ()) -> None:
        """`called_off`: why only its end is due, as after a restart in the middle; "" where it begins with its steps. `inside`: the
        procedures that it was carrying out then, the innermost last."""
        self.made, self.begun_at = made, now
        self.state: State = "running"
        self.line = 0
        self.why = ""
        self.failed = False
        self.log: list[Logged] = []
        self._fresh: list[Logged] = []
        self.ended_at: int | None = None
        self.wishes: list[Wish] = []
        self._now = now
        self._latest: dict[int, tuple[int, float | None]] = {}
        self._told_at = 0  # when the last command had ended
        self._names: dict[str, tuple[str, float | str]] = {}
        self._given: dict[str, float | str] = {}  # what questions of the innermost are answered with
        self._within: list[tuple[str, int]] = []  # procedures that it carries out, and their lines
        self._left = [name for name in inside if name in made.called]
        self._in_always = 0
        self._stop_later = ""
        self._questions = 0
        self._number = 0
        self._pause: _Pause | None = None
        self._paused_at: int | None = None
        self._called_off = called_off
        self._steps: Steps = self._whole()

    # ---- what is told

    def sample(self, number: int, quality: int, at: int, value: float) -> None:
        """A sample of a channel, in order."""
        good = quality <= 1 and math.isfinite(value)
        self._latest[number] = at, value if good else None
        pause = self._pause
        if pause is None or pause.over is not None:
            return
        if pause.reading is not None:
            if pause.reading[0] == number and at > pause.reading[1]:
                pause.over = good, value
        elif pause.steady is not None and pause.steady[0] == number:
            pause.steady[1].take(at, quality, value)
            if pause.steady[1].holds(at):
                pause.over = True, None
        elif pause.program is not None and any(
            self._number_of(one) == number for one in pause.program.inputs
        ):
            self._try(pause, at)

    def told(self, number: int, good: bool, words: str) -> None:
        """What came of a wish, by its number."""
        pause = self._pause
        if (
            pause is not None
            and pause.wish is not None
            and pause.wish.number == number
            and pause.over is None
        ):
            pause.over = good, words
        else:
            self._say(0, f"what was asked for before: {words}", good)

    def answer(self, value: float | bool | str, by: str) -> bool:
        """A person's answer; False where nothing is asked."""
        pause = self._pause
        if pause is None or pause.question is None or pause.over is not None:
            return False
        pause.over = True, (value, by)
        return True

    def skip(self, by: str) -> bool:
        """A person goes on without waiting any longer; False where it waits for nothing that can be skipped."""
        pause = self._pause
        if pause is None or pause.over is not None or pause.question is not None:
            return False
        if pause.wish is not None and pause.reading is None:
            return False
        self._say(self.line, f"not waited for any longer, by {by}")
        pause.over = True, None
        return True

    def stop(self, why: str) -> None:
        """The steps end at once, whatever they wait for; then comes what is always done."""
        if self.state != "running":
            return
        self._paused_at = None
        if self._pause is None:
            self._called_off = why  # it has not begun: it begins with its end
        elif self._in_always:  # of one that it carries out: that is done first
            if not self._stop_later:
                self._stop_later = why
                self._say(self.line, f"{why}: what is always done here is done first")
        else:
            self._advance(lambda: self._steps.throw(CalledOff(why)))

    def pause(self, on: bool, by: str) -> None:
        """Nothing goes on until it is told to; the time that passes meanwhile does not count."""
        if on and self._paused_at is None and self.state == "running":
            self._paused_at = self._now
            self._say(self.line, f"paused by {by}")
        elif not on and self._paused_at is not None:
            if self._pause is not None and self._pause.until is not None:
                self._pause.until += self._now - self._paused_at
            self._paused_at = None
            self._say(self.line, f"goes on, by {by}")

    # ---- what it wants

    @property
    def paused(self) -> bool:
        """Whether a person has paused it."""
        return self._paused_at is not None

    @property
    def inside(self) -> list[str]:
        """The procedures that it is carrying out now, the innermost last."""
        return [*self._left, *(name for name, _ in self._within)]

    @property
    def places(self) -> list[tuple[str, int]]:
        """Where it is within those: their names and lines, the innermost last."""
        return list(self._within)

    @property
    def channels(self) -> list[int]:
        """The numbers of the channels that it waits for."""
        pause = self._pause
        if pause is None or pause.over is not None:
            return []
        if pause.steady is not None:
            return [pause.steady[0]]
        if pause.reading is not None:
            return [pause.reading[0]]
        numbers = [self._number_of(one) for one in pause.program.inputs] if pause.program else []
        return [one for one in numbers if one >= 0]

    @property
    def question(self) -> Question | None:
        """What a person is asked now."""
        pause = self._pause
        return pause.question if pause is not None and pause.over is None else None

    @property
    def waits(self) -> tuple[str, int | None]:
        """What it waits for, in words, and until when (microseconds)."""
        return (self._pause.words, self._pause.until) if self._pause is not None else ("", None)

    @property
    def progress(self) -> str:
        """How near it is to what it waits for, in words; "" where there is nothing to say."""
        pause = self._pause
        if pause is None or pause.over is not None:
            return ""
        if pause.steady is not None:
            spread, band, unit = pause.steady[1].spread, pause.band, pause.unit
            behind = f" {unit}" if unit else ""
            return "" if spread is None else f"spread {spread:.4g}{behind} of {figure(band)}{behind}"
        if pause.program is None:
            return ""
        told = []
        for name, value in zip(
            pause.program.inputs, self._inputs(pause.program.inputs, self._now), strict=True
        ):
            unit = self._names[name][0] if name in self._names else self.made.view.channels[name].unit
            behind = f" {unit}" if unit else ""
            told.append(f"{name} {'has no value' if value is None else f'is {value:.6g}{behind}'}")
        return ", ".join(told)

    @property
    def passes_time(self) -> bool:
        """Whether it waits for time to pass, and for nothing else."""
        pause = self._pause
        return (
            pause is not None
            and pause.over is None
            and not (pause.program or pause.steady or pause.wish or pause.question or pause.reading)
        )

    @property
    def deadline(self) -> int | None:
        """When `look` wants to be called if nothing happens before."""
        if self.state == "ended" or self._paused_at is not None:
            return None
        return self._pause.until if self._pause is not None and self._pause.over is None else self._now

    def take_fresh(self) -> list[Logged]:
        """The lines of the log since the last call."""
        fresh, self._fresh = self._fresh, []
        return fresh

    def look(self, now: int) -> list[Wish]:
        """Go on as far as it can at `now`; what is to be done."""
        self._now = max(self._now, now)
        if self._paused_at is None:
            for _ in range(AT_ONCE):
                if not self._go_on():
                    break
        wishes, self.wishes = self.wishes, []
        return wishes

    def _go_on(self) -> bool:
        pause = self._pause
        if self.state == "ended":
            return False
        if pause is None:
            self._advance(lambda: next(self._steps))
            return True
        if pause.over is None and pause.until is not None and self._now >= pause.until:
            pause.over = False, None
        if pause.over is None:
            return False
        over = pause.over
        self._advance(lambda: self._steps.send(over))
        return True

    def _advance(self, step: Callable[[], _Pause]) -> None:
        try:
            self._pause = step()
        except StopIteration:
            self._pause, self.state, self.ended_at = None, "ended", self._now

    # ---- the steps

    def _whole(self) -> Steps:
        """Its steps, and then what is always done; it raises nothing."""
        name = self.made.procedure.name
        try:
            if self._called_off:
                raise Stopped(self._called_off)
            self._say(0, f"“{name}” begins")
            yield from self._block(self.made.procedure.steps)
            self.why = "all steps are done"
        except Stopped as stopped:
            self._fails(stopped.why)
        except Exception as error:  # a fault of ours: its end is reached all the same
            self._fails(f"Tidy Bench itself failed at this step ({error!r})")
        self.state = "at its end"
        while self._left:  # it was killed within these
            called = self._left.pop()
            self._within.append((called, 0))
            yield from self._always(self.made.called[called])
            self._within.pop()
        yield from self._always(self.made.procedure)
        self._say(0, f"“{name}” has ended: {self.why}", not self.failed)

    def _always(self, procedure: Procedure) -> Steps:
        """What is always done at its end: each step is tried, whatever came of those before."""
        self._in_always += 1
        for step in procedure.always:
            try:
                yield from self._step(step)
            except Stopped as stopped:
                self._fails_at_its_end(step.line, stopped.why)
            except Exception as error:
                self._fails_at_its_end(step.line, f"Tidy Bench itself failed at this step ({error!r})")
        self._in_always -= 1

    def _fails(self, why: str) -> None:
        self.why, self.failed = why, True
        self._say(self.line, why if why.startswith("stopped") else f"stopped: {why}", False)

    def _fails_at_its_end(self, line: int, why: str) -> None:
        self.failed = True
        self._say(line, f"at its end: {why}", False)

    def _block(self, steps: Iterable[Step]) -> Steps:
        for step in steps:
            yield from self._step(step)

    def _step(self, step: Step) -> Steps:
        self._at(step.line)
        if isinstance(step, Tell):
            yield from self._tell(step)
        elif isinstance(step, Wait):
            yield _Pause(self._now + step.span, words=f"{span_words(step.span)} to pass")
            self._say(step.line, f"waited {span_words(step.span)}")
        elif isinstance(step, WaitUntil):
            yield from self._until(step)
        elif isinstance(step, WaitSteady):
            yield from self._until_steady(step)
        elif isinstance(step, Ask):
            yield from self._ask(step)
        elif isinstance(step, Mark):
            yield from self._mark(step)
        elif isinstance(step, Point):
            yield from self._want("point", step.line, self._filled(step.words), step.span, step.otherwise)
        elif isinstance(step, Read):
            yield from self._read(step)
        elif isinstance(step, Draw):
            yield from self._draw(step)
        elif isinstance(step, Capture):
            yield from self._capture(step)
        elif isinstance(step, ZeroIt):
            yield from self._want("zero", step.line, step.channel, otherwise=step.otherwise)
        elif isinstance(step, BeginRun):
            text = step.words.text if step.planned else self._filled(step.words)
            yield from self._want("begin from plan" if step.planned else "begin run", step.line, text)
        elif isinstance(step, EndRun):
            yield from self._want("end run", step.line, "")
        elif isinstance(step, Let):
            program = self.made.program(step.value)
            self._names[step.name] = program.unit.label, self._value(program)
        elif isinstance(step, If):
            yield from self._block(step.then if self._holds(step.condition) else step.otherwise)
        elif isinstance(step, CarryOut):
            yield from self._carry_out(step)
        else:
            yield from self._for(step)

    def _tell(self, step: Tell) -> Steps:
        command = self.made.view.commands[step.instrument, step.command]
        given = dict(step.values) if step.only is None else {command.arguments[0].field: step.only}
        texts = text_fields(command)
        values: dict[str, float | str] = {
            name: self._text(formula) if name in texts else self._value(self.made.program(formula))
            for name, formula in given.items()
        }
        said = ", ".join(value if isinstance(value, str) else f"{value:.12g}" for value in values.values())
        what = f"{command.part.name}{f' {said}' if said else ''}"
        wish = self._wish("command", step.line, what, step.instrument, step.command, values)
        # The link ends it much sooner; only a link that went away in that very moment does not.
        until = self._now + round(command.part.give_up_after_s * 1e6) + LINK_PATIENCE
        good, words = yield _Pause(until, wish=wish, words=f"the answer to {what}")
        self._told_at = self._now
        words = words if words is not None else "nothing came of it: it is not known whether it was done"
        self._say(step.line, f"{what}: {words}", good)
        yield from self._otherwise(good, step.line, step.otherwise, f"{what}: {words}")

    def _until(self, step: WaitUntil) -> Steps:
        program = self.made.program(step.condition)
        pause = _Pause(self._now + step.at_most, program=program, words=step.condition.text)
        self._try(pause, self._now)
        good, _ = yield pause
        what = (
            f"{step.condition.text}"
            if good
            else f"{step.condition.text}: not within {span_words(step.at_most)}"
        )
        self._say(step.line, what, good)
        yield from self._otherwise(good, step.line, step.otherwise, what)

    def _until_steady(self, step: WaitSteady) -> Steps:
        channel = self.made.view.channels[step.channel]
        band = self._value(self.made.program(step.band))
        what = f"{step.channel} steady within {figure(band)}{f' {channel.unit}' if channel.unit else ''} for {span_words(step.span)}"
        watch = Steadiness(step.span, band, channel.age)
        good, _ = yield _Pause(
            self._now + step.at_most, steady=(channel.number, watch), band=band, unit=channel.unit, words=what
        )
        what = what if good else f"{what}: not within {span_words(step.at_most)}"
        self._say(step.line, what, good)
        yield from self._otherwise(good, step.line, step.otherwise, what)

    def _read(self, step: Read) -> Steps:
        """The next reading that comes from now on, good or not: it is what was asked for."""
        channel = self.made.view.channels[step.channel]
        wish = self._wish("read", step.line, step.channel, channel.asks) if channel.asks else None
        good, came = yield _Pause(
            self._now + step.at_most,
            wish=wish,
            reading=(channel.number, self._now),
            words=f"a reading of {step.channel}",
        )
        unit = f" {channel.unit}" if channel.unit else ""
        if good and isinstance(came, float):
            what = f"{step.channel} is {came:.12g}{unit}"
        elif isinstance(came, float):
            what, good = f"{step.channel} was read, and has no value", False
        elif isinstance(came, str):
            what, good = f"{step.channel} was not read: {came}", False
        else:
            what = f"{step.channel} was not read" + ("" if good else f" within {span_words(step.at_most)}")
            good = False
        if step.name:
            self._names[step.name] = channel.unit, came if good and isinstance(came, float) else NO_READING
        self._say(step.line, what, good)
        yield from self._otherwise(good, step.line, step.otherwise, what)

    def _draw(self, step: Draw) -> Steps:
        """A row of a curve; where a value is not measured its cell is empty, and that is said."""
        values: dict[str, float | str] = {}
        units, missing = [], []
        for name, formula in step.values:
            program = self.made.program(formula)
            units.append(program.unit.label)
            try:
                values[name] = program.value(self._now, self._inputs(program.inputs, self._now))
            except Nothing as nothing:
                values[name] = NAN
                missing.append(f"{name}: {nothing}")
        wish = self._wish("draw", step.line, step.words.text, values=values)
        wish = self.wishes[-1] = replace(wish, units=tuple(units))
        good, words = yield _Pause(wish=wish, words=f"a row of “{step.words.text}”")
        said = f"{words}; {', '.join(missing)}" if missing else str(words)
        self._say(step.line, said, good and not missing)
        yield from self._otherwise(good and not missing, step.line, step.otherwise, said)

    def _capture(self, step: Capture) -> Steps:
        what = f"a capture of {', '.join(step.channels)}"
        values: dict[str, float | str] = {"samples": step.samples, "before": step.before}
        wish = self._wish("capture", step.line, ",".join(step.channels), values=values, span=step.at_most)
        # Whoever takes it gives it up in time; this is for one that does not answer.
        good, words = yield _Pause(self._now + step.at_most + LINK_PATIENCE, wish=wish, words=what)
        words = words if words is not None else f"{what}: nothing came of it"
        self._say(step.line, str(words), good)
        yield from self._otherwise(good, step.line, step.otherwise, str(words))

    def _ask(self, step: Ask) -> Steps:
        text = self._filled(step.words)
        if step.name in self._given:
            self._names[step.name] = step.unit, self._given[step.name]
            self._say(step.line, f"{text} {self._named(step.name)}, given")
            return
        question = self._question(step.line, text, step.answer, step.unit, step.name)
        good, came = yield _Pause(self._now + step.at_most, question=question, words=f"an answer to “{text}”")
        if not good or not isinstance(came, tuple):
            raise Stopped(f"nobody answered “{text}” within {span_words(step.at_most)}")
        value, by = came
        if step.answer == "picture" and not value:
            value = NO_PICTURE
        if step.name:
            self._names[step.name] = step.unit, value if step.answer in TEXTS else float(value)
        if step.answer != "yes or no":
            unit = f" {step.unit}" if step.unit else ""
            said = value if isinstance(value, str) else f"{figure(float(value))}{unit}"
            self._say(step.line, f"{text} {said}, by {by}")
            return
        self._say(step.line, f"{text} {'yes' if value else 'no'}, by {by}", bool(value))
        if not value:
            raise Stopped(f"“{text}” was answered with no, by {by}")

    def _question(self, line: int, text: str, answer: Answer = "yes or no", unit: str = "", name: str = "") -> Question:  # fmt: skip
        self._questions += 1
        return Question(self._questions, self.line or line, text, answer, unit, name)

    def _carry_out(self, step: CarryOut) -> Steps:
        """Another one, with names of its own; what it always does is done before this one goes on."""
        name = step.words.text
        called = self.made.called[name]
        texts = {one.name for one in steps_in(called.steps) if isinstance(one, Ask) and one.answer in TEXTS}
        given: dict[str, float | str] = {
            field: self._text(formula) if field in texts else self._value(self.made.program(formula))
            for field, formula in step.values
        }
        outside = self._names, self._given
        self._say(step.line, f"“{name}” begins")
        self._within.append((name, 0))
        self._names, self._given = {}, given
        stopped: Stopped | None = None
        failed, self.failed = self.failed, False
        try:
            yield from self._remembered(step.line)
            yield from self._block(called.steps)
        except Stopped as why:
            stopped = why
        except Exception as error:
            stopped = Stopped(f"Tidy Bench itself failed at this step ({error!r})")
        if stopped is not None:
            self._say(self._within[-1][1], stopped.why, False)
            if isinstance(stopped, CalledOff):
                self.state = "at its end"
        self._given = {}
        yield from self._always(called)
        at_its_end, self.failed = self.failed, failed or self.failed
        self._within.pop()
        self._names, self._given = outside
        words = "all steps are done" if stopped is None else stopped.why
        if at_its_end and stopped is None:
            stopped = Stopped("its end could not be carried out")
            words = stopped.why
        self._say(step.line, f"“{name}” has ended: {words}", stopped is None)
        if isinstance(stopped, CalledOff):
            raise stopped
        if self._stop_later and not self._in_always:
            raise CalledOff(self._stop_later)
        yield from self._remembered(step.line)
        if stopped is not None:
            yield from self._otherwise(False, step.line, step.otherwise, f"“{name}”: {stopped.why}")

    def _remembered(self, line: int) -> Steps:
        wish = self._wish("remember", line, "")
        good, words = yield _Pause(wish=wish, words="what is being carried out to be written down")
        if not good:
            raise Stopped(f"what is being carried out could not be written down: {words}")

    def _mark(self, step: Mark) -> Steps:
        text = self._filled(step.words)
        if step.only_said:
            self._say(step.line, text)
            return
        yield from self._want(
            "mark", step.line, text, otherwise="go on"
        )  # without a run there is nothing to mark

    def _want(
        self,
        what: Wanted,
        line: int,
        text: str,
        span: int = 0,
        otherwise: Else = "stop",
    ) -> Steps:
        wish = self._wish(what, line, text, span=span)
        good, words = yield _Pause(wish=wish, words=f"{what} {text}".strip())
        self._say(line, str(words), good)
        yield from self._otherwise(good, line, otherwise, str(words))

    def _for(self, step: For) -> Steps:
        before = self._names.get(step.name)
        for place, value in enumerate(step.values, 1):
            self._at(step.line)
            if step.name:
                self._names[step.name] = step.unit, value
                unit = f" {step.unit}" if step.unit else ""
                self._say(step.line, f"{step.name} = {figure(value)}{unit} ({place} of {len(step.values)})")
            else:
                self._say(step.line, f"{place} of {len(step.values)}")
            yield from self._block(step.body)
        if before is not None:
            self._names[step.name] = before

    # ---- their help

    def _wish(
        self, what: Wanted, line: int, text: str, instrument: str = "",
        command: str = "", values: dict[str, float | str] | None = None, span: int = 0,
    ) -> Wish:  # fmt: skip
        self._number += 1
        wish = Wish(self._number, what, line, text, instrument, command, values or {}, span)
        self.wishes.append(wish)
        return wish

    def _otherwise(self, good: bool, line: int, otherwise: Else, what: str) -> Steps:
        """Where a step came to nothing: stop, go on, or as a person says."""
        if good or otherwise == "go on":
            return
        if (
            otherwise == "stop" or self.state != "running" or self._in_always
        ):  # at its end nobody is waited for
            raise Stopped(what)
        question = self._question(line, f"{what}. Go on all the same?")
        _, came = yield _Pause(self._now + ASKED, question=question, words="an answer")
        if not isinstance(came, tuple):
            raise Stopped(f"{what}, and nobody said what then")
        value, by = came
        self._say(line, f"{'goes on all the same' if value else 'stops'}, by {by}", bool(value))
        if not value:
            raise Stopped(f"{what}; stopped by {by}")

    def _at(self, line: int) -> None:
        if self._within:
            self._within[-1] = self._within[-1][0], line
        else:
            self.line = line

    def _say(self, line: int, words: str, good: bool = True) -> None:
        if self._within:
            where = f"line {line}: " if line else ""
            line, words = self.line, f"“{self._within[-1][0]}”, {where}{words}"
        said = Logged(self._now, line, words, good)
        self.log.append(said)
        self._fresh.append(said)
        del self.log[:-LOGGED]

    def _filled(self, words: Words) -> str:
        return PLACED.sub(lambda match: self._named(match[1]), words.text)

    def _named(self, name: str) -> str:
        """What a name stands for, in words."""
        unit, value = self._names[name]
        return value if isinstance(value, str) else f"{figure(value)}{f' {unit}' if unit else ''}"

    def _text(self, formula: Formula) -> str:
        """A text in quotes, or what a name stands for."""
        if formula.text.startswith('"'):
            return self._filled(Words(formula.text[1:-1], formula.column + 1))
        return self._named(formula.text)

    def _number_of(self, name: str) -> int:
        channel = self.made.view.channels.get(name)
        return channel.number if channel is not None and name not in self._names else -1

    def _inputs(self, names: Sequence[str], at: int, since: int = 0) -> list[float | None]:
        found: list[float | None] = []
        for name in names:
            if name in self._names:
                value = self._names[name][1]
                found.append(value if isinstance(value, float) else None)
                continue
            channel = self.made.view.channels[name]
            then, latest = self._latest.get(channel.number, (0, None))
            found.append(latest if at - then <= channel.age and then >= since else None)
        return found

    def _value(self, program: Program) -> float:
        try:
            return program.value(self._now, self._inputs(program.inputs, self._now))
        except Nothing as nothing:
            raise Stopped(f"“{program.text}” gives nothing: {nothing}") from None

    def _holds(self, formula: Formula) -> bool:
        return self._value(self.made.program(formula)) != 0

    def _try(self, pause: _Pause, at: int) -> None:
        """Whether a condition holds now; one that gives nothing does not. What was measured before the last command says nothing of what came of it."""
        assert pause.program is not None
        try:
            if pause.program.value(at, self._inputs(pause.program.inputs, at, self._told_at)) != 0:
                pause.over = True, None
        except Nothing:
            pass
