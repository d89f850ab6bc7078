"""A procedure checked against a bench: its commands, channels and units are there, and what it sends is within what may be sent."""

import difflib
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from tidybench.core.compile.command import CommandError, CompiledCommand
from tidybench.core.expression.program import CONSTANTS, Nothing, Program, compiled
from tidybench.core.expression.tokens import ExpressionError
from tidybench.core.procedure.bench_view import BenchView
from tidybench.core.procedure.steps import (
    Answer,
    Ask,
    BeginRun,
    Capture,
    CarryOut,
    Draw,
    For,
    Formula,
    If,
    Let,
    Mark,
    Point,
    Problem,
    Procedure,
    ProcedureError,
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
from tidybench.core.procedure.text import DEEPEST, parse
from tidybench.core.units import UnitError, unit_of

MOST_STEPS = 1_000_000
"""Steps that a procedure may have, its loops counted out."""

MOST_TRIED = 20_000
"""Values that are tried against their ranges before it begins: those of loops within loops are many."""

MOST_LOOKS = 500
"""Procedures that are looked at with what is given to them: many that carry one another out would be without an end."""

TEXTS: frozenset[Answer] = frozenset(["text", "picture"])
"""Answers whose name stands for a text."""

PLACED = re.compile(r"\{\s*([A-Za-z_][A-Za-z0-9_]*)\s*\}")


@dataclass(slots=True, frozen=True)
class Sending:
    """What a step sends. `data`: where it is known before, else None."""

    line: int
    instrument: str
    command: str
    data: bytes | None


@dataclass(slots=True)
class Checked:
    """A procedure that can be carried out. `called`: those that it carries out, by name; `programs`: of their formulas, by their identity;
    `looked_at`: channels that are to be steady, or are read. `least`, `most`: microseconds that it takes, answers of instruments and persons left out."""

    procedure: Procedure
    view: BenchView
    called: dict[str, Procedure] = field(default_factory=dict)
    programs: dict[int, Program] = field(default_factory=dict)
    looked_at: set[str] = field(default_factory=set)
    sends: list[Sending] = field(default_factory=list)
    least: int = 0
    most: int = 0

    @property
    def instruments(self) -> set[str]:
        """Those that it gives commands."""
        return {one.instrument for one in self.sends}

    @property
    def channels(self) -> set[int]:
        """The numbers of the channels that it depends on."""
        named = {name for program in self.programs.values() for name in program.inputs} | self.looked_at
        return {self.view.channels[name].number for name in named if name in self.view.channels}

    def program(self, formula: Formula) -> Program:
        """Of a formula of this procedure."""
        return self.programs[id(formula)]


def checked(procedure: Procedure, view: BenchView) -> Checked:
    """Check it. Raises ProcedureError with every line that is wrong."""
    checker = _Checker(procedure, view)
    checker.whole()
    if checker.problems:
        raise ProcedureError(checker.problems)
    made = checker.made
    made.least, made.most = _Sizes(made.called).spans(procedure)
    return made


@dataclass(slots=True, frozen=True)
class _Name:
    """What a name stands for: a number of this unit, or a text; `values`: all it can be where that is known before."""

    unit: str = ""
    values: tuple[float, ...] | None = None
    is_text: bool = False


Known = dict[str, _Name]


class _Checker:
    def __init__(self, procedure: Procedure, view: BenchView) -> None:
        self.made = Checked(procedure, view)
        self.problems: list[Problem] = []
        self._view, self._left = view, MOST_TRIED
        self._drawn: dict[str, list[tuple[str, str]]] = {}  # the columns of each curve
        self._units = {id: one.unit for id, one in view.channels.items()}
        self._within = [procedure.name]  # the procedures that are looked at, from the outermost on
        self._where = (1, 1)  # the step of the outermost that carries another one out
        self._sent_by: dict[str, list[Sending]] = {}  # what each sends, where nothing is given to it
        self._now_given: Known = {}  # what the questions of the innermost are answered with
        self._looks = MOST_LOOKS

    def _wrong(self, line: int, column: int, what: str) -> None:
        if len(self._within) > 1:
            what = f"In “{self._within[-1]}”, line {line}: {what}"
            line, column = self._where
        problem = Problem(line, column, what.rstrip(".") + ".")
        if problem not in self.problems:
            self.problems.append(problem)

    def _sends(self, line: int, instrument: str, command: str, data: bytes | None) -> None:
        if len(self._within) > 1:
            line = self._where[0]
        self.made.sends.append(Sending(line, instrument, command, data))

    def whole(self) -> None:
        """With all that it carries out."""
        procedure = self.made.procedure
        self.block(procedure.steps, {})
        self.block(procedure.always, {})
        if self.problems:
            return
        count = _Sizes(self.made.called).count(procedure)
        if count > MOST_STEPS:
            self._wrong(1, 1, f"It has {count:,} steps with all turns of its loops; {MOST_STEPS:,} is the most")  # fmt: skip

    def _carry_out(self, step: CarryOut, known: Known) -> None:
        name, column = step.words.text, step.words.column
        if name in self._within:
            way = " → ".join(f"“{one}”" for one in [*self._within[self._within.index(name) :], name])
            self._wrong(step.line, column, f"A procedure never carries itself out: {way}")
            return
        if name not in self._view.procedures:
            near = difflib.get_close_matches(name, self._view.procedures, 1, 0.6)
            hint = f" Perhaps “{near[0]}” is meant." if near else ""
            self._wrong(step.line, column, f"No procedure “{name}” is kept at this bench.{hint}")
            return
        if len(self._within) > DEEPEST:
            self._wrong(step.line, column, f"Procedures carry one another out {DEEPEST} deep at the most")
            return
        called = self.made.called.get(name) or self._parsed(step, name)
        if called is None:
            return
        self.made.called[name] = called
        given = self._given(step, called, known)
        if given is None:
            return
        if self._looks <= 0:
            given = {}
        if not given and name in self._sent_by:
            for one in self._sent_by[name][: max(0, MOST_TRIED - len(self.made.sends))]:
                self._sends(step.line, one.instrument, one.command, one.data)
            return
        self._looks -= 1
        before = len(self.made.sends)
        if len(self._within) == 1:
            self._where = step.line, column
        self._within.append(name)
        outside, self._now_given = self._now_given, given
        self.block(called.steps, {})
        self._now_given = {}
        self.block(called.always, {})
        self._now_given = outside
        self._within.pop()
        if not given:
            self._sent_by[name] = self.made.sends[before:]

    def _parsed(self, step: CarryOut, name: str) -> Procedure | None:
        try:
            return parse(self._view.procedures[name])
        except ProcedureError as error:
            first = error.problems[0]
            self._wrong(step.line, step.words.column, f"In “{name}”, line {first.line}: {first.what}")
            return None

    def _given(self, step: CarryOut, called: Procedure, known: Known) -> Known | None:
        """What its questions are answered with; None where that cannot be."""
        questions = {one.name: one for one in steps_in(called.steps) if isinstance(one, Ask) and one.name}
        given: Known = {}
        for name, formula in step.values:
            question = questions.get(name)
            if question is None:
                has = ", ".join(questions) or "nothing by a name"
                self._wrong(step.line, formula.column, f"“{called.name}” does not ask for “{name}” (it asks for: {has})")  # fmt: skip
                return None
            if question.answer in TEXTS:
                if not self._text(step.line, formula, known, name):
                    return None
                given[name] = _Name(is_text=True)
                continue
            program = self._formula(step.line, formula, known, question.unit or None)
            if program is None:
                return None
            if not question.unit and program.unit.label:
                self._wrong(step.line, formula.column, f"“{called.name}” asks for “{name}” as a number without a unit")  # fmt: skip
                return None
            given[name] = _Name(question.unit, self._all_of(program, known))
        return given

    def _text(self, line: int, formula: Formula, known: Known, field: str) -> bool:
        """Whether this is a text: in quotes, or the name of one."""
        if formula.text in known and known[formula.text].is_text:
            return True
        if re.fullmatch(r'"[^"]*"', formula.text):
            self._words(line, Words(formula.text[1:-1], formula.column + 1), known)
            return True
        self._wrong(line, formula.column, f"{field} is a text: write it in quotes, or the name of one")
        return False

    def _all_of(self, program: Program, known: Known) -> tuple[float, ...] | None:
        """All that a formula can give, where that is known before and is not much."""
        turns = self._turns(program.inputs, known)
        if turns is None:
            return None
        self._left -= len(turns)
        try:
            return tuple(program.value(0, [turn[one] for one in program.inputs]) for turn in turns)
        except Nothing:
            return None

    def _turns(self, names: Iterable[str], known: Known) -> list[dict[str, float]] | None:
        """Every combination of what these names can be, None where that is not known or too much."""
        turns: list[dict[str, float]] = [{}]
        for name in names:
            values = known[name].values if name in known else None
            if values is None or len(turns) * len(values) > self._left:
                return None
            turns = [{**turn, name: value} for turn in turns for value in values]
        return turns

    def block(self, steps: Iterable[Step], known: Known) -> None:
        for step in steps:
            self._step(step, known)

    def _step(self, step: Step, known: Known) -> None:
        if isinstance(step, Tell):
            self._tell(step, known)
        elif isinstance(step, Let):
            program = self._formula(step.line, step.value, known)
            unit = "" if program is None else program.unit.label
            self._name(step.line, step.name, known, _Name(unit))
        elif isinstance(step, CarryOut):
            self._carry_out(step, known)
        elif isinstance(step, WaitUntil):
            self._condition(step.line, step.condition, known)
        elif isinstance(step, WaitSteady):
            channel = self._view.channels.get(step.channel)
            if channel is None:
                self._wrong(step.line, step.column, f"There is no channel “{step.channel}” on this bench")
            else:
                self.made.looked_at.add(step.channel)
                self._formula(step.line, step.band, known, channel.unit)
        elif isinstance(step, Read):
            channel = self._view.channels.get(step.channel)
            if channel is None:
                self._wrong(step.line, step.column, f"There is no channel “{step.channel}” on this bench")
                return
            self.made.looked_at.add(step.channel)
            if step.name:
                self._name(step.line, step.name, known, _Name(channel.unit))
        elif isinstance(step, Draw):
            self._draw(step, known)
        elif isinstance(step, Capture):
            for channel_id in step.channels:
                if channel_id not in self._view.channels:
                    self._wrong(step.line, step.column, f"There is no channel “{channel_id}” on this bench")
                else:
                    self.made.looked_at.add(channel_id)
        elif isinstance(step, ZeroIt):
            channel = self._view.channels.get(step.channel)
            if channel is None:
                self._wrong(step.line, step.column, f"There is no channel “{step.channel}” on this bench")
            elif channel.calculated:
                self._wrong(step.line, step.column, f"“{step.channel}” is calculated: zero what it is made from")  # fmt: skip
        elif isinstance(step, If):
            self._condition(step.line, step.condition, known)
            self.block(step.then, dict(known))
            self.block(step.otherwise, dict(known))
        elif isinstance(step, For):
            inside = dict(known)
            if step.name:
                self._unit(step.line, step.unit)
                self._name(step.line, step.name, inside, _Name(step.unit, step.values))
            self.block(step.body, inside)
        elif isinstance(step, Ask):
            self._words(step.line, step.words, known)
            if step.name:
                self._unit(step.line, step.unit)
                asked = _Name(step.unit, is_text=step.answer in TEXTS)
                self._name(step.line, step.name, known, self._now_given.get(step.name, asked))
        elif isinstance(step, BeginRun) and step.planned:
            if step.words.text not in self._view.plans:
                self._wrong(step.line, step.words.column, f"There is no plan “{step.words.text}”")
        elif isinstance(step, Mark | Point | BeginRun):
            self._words(step.line, step.words, known)

    def _unit(self, line: int, unit: str) -> None:
        try:
            unit_of(unit)
        except UnitError as error:
            self._wrong(line, 1, str(error))

    def _draw(self, step: Draw, known: Known) -> None:
        """All rows of one curve have the same columns."""
        programs = [(name, self._formula(step.line, formula, known)) for name, formula in step.values]
        self._words(step.line, step.words, known)
        columns = [(name, program.unit.label if program is not None else "") for name, program in programs]
        if "{" in step.words.text:
            self._wrong(step.line, step.words.column, "The name of a curve has no values in it: each row belongs to it")  # fmt: skip
        before = self._drawn.setdefault(step.words.text, columns)
        if before != columns:
            was = ", ".join(f"{name} [{unit}]" if unit else name for name, unit in before)
            self._wrong(step.line, step.words.column, f"“{step.words.text}” has other columns above: {was}")

    def _name(self, line: int, name: str, known: Known, what: _Name) -> None:
        if name in self._units or name in CONSTANTS:
            self._wrong(line, 1, f"“{name}” is a channel, or a constant, already: take another name")
        known[name] = what

    def _words(self, line: int, words: Words, known: Known) -> None:
        for match in PLACED.finditer(words.text):
            if match[1] not in known:
                self._wrong(line, words.column + match.start(), f"Nothing is called “{match[1]}” here")

    def _formula(
        self, line: int, formula: Formula, known: Known, target: str | None = None
    ) -> Program | None:
        units = {**self._units, **{name: one.unit for name, one in known.items() if not one.is_text}}
        try:
            bare = compiled(formula.text, units, None, constant=True)
            if target and not bare.unit.label and not bare.condition:
                self._wrong(line, formula.column, f"Give its unit: {formula.text} [{target}]")
                return None
            program = compiled(formula.text, units, target, constant=True) if target else bare
        except ExpressionError as error:
            texts = [one for one in re.findall(r"\w+", formula.text) if one in known and known[one].is_text]
            what = f"“{texts[0]}” is a text: nothing is calculated with it" if texts else error.what
            self._wrong(line, formula.column + error.column - 1, what)
            return None
        self.made.programs[id(formula)] = program
        return program

    def _condition(self, line: int, formula: Formula, known: Known) -> None:
        program = self._formula(line, formula, known)
        if program is not None and not program.condition:
            self._wrong(line, formula.column, 'A condition is wanted here, as in "loop-flow" > 120 [L/min]')

    def _tell(self, step: Tell, known: Known) -> None:
        command = self._view.commands.get((step.instrument, step.command))
        if command is None:
            if step.instrument not in self._view.instruments:
                has = ", ".join(sorted(self._view.instruments)) or "none"
                self._wrong(step.line, step.column, f"There is no instrument “{step.instrument}” on this bench (there are: {has})")  # fmt: skip
            else:
                mine = [id for who, id in self._view.commands if who == step.instrument]
                has = ", ".join(sorted(mine)) or "none"
                self._wrong(step.line, step.column, f"{step.instrument} has no command “{step.command}” (it has: {has})")  # fmt: skip
            return
        arguments = command.arguments
        given = dict(step.values)
        if step.only is not None:
            if len(arguments) != 1:
                fields = ", ".join(f"{one.field} = …" for one in arguments)
                self._wrong(step.line, step.column, f"It has {len(arguments)} arguments: write send {step.instrument}.{step.command} with {fields}" if arguments else f"It has no argument: write send {step.instrument}.{step.command}")  # fmt: skip
                return
            given = {arguments[0].field: step.only}
        fine = True
        programs: dict[str, Program] = {}
        for name, formula in given.items():
            argument = next((one for one in arguments if one.field == name), None)
            if argument is None:
                has = ", ".join(one.field for one in arguments) or "none"
                self._wrong(step.line, formula.column, f"“{step.command}” has no argument “{name}” (it has: {has})")  # fmt: skip
                fine = False
                continue
            if name in text_fields(command):
                fine = self._text(step.line, formula, known, name) and fine
                continue
            program = self._formula(step.line, formula, known, argument.unit or None)
            fine = fine and program is not None
            if program is not None:
                programs[name] = program
        missing = [one.title for one in arguments if one.field not in given and one.default is None]
        if missing:
            self._wrong(step.line, step.column, f"Give a value for {missing[0]}")
        elif fine:
            self._try(step, command, given, programs, known)

    def _try(
        self,
        step: Tell,
        command: CompiledCommand,
        given: Mapping[str, Formula],
        programs: Mapping[str, Program],
        known: Known,
    ) -> None:
        """Send what is known before to nobody: what is out of range is said now and not in the middle of a test."""
        texts = {name: formula.text for name, formula in given.items() if name not in programs}
        names = sorted({one for program in programs.values() for one in program.inputs})
        turns = self._turns(names, known)
        if turns is None or any(not text.startswith('"') or PLACED.search(text) for text in texts.values()):
            self._sends(step.line, step.instrument, step.command, None)
            return
        self._left -= len(turns)
        for turn in turns:
            try:
                numbers = {name: program.value(0, [turn[one] for one in program.inputs]) for name, program in programs.items()}  # fmt: skip
                data = command.data(
                    command.values({**{name: text[1:-1] for name, text in texts.items()}, **numbers})
                )
            except (CommandError, Nothing) as error:
                column = next(iter(given.values())).column if given else step.column
                self._wrong(step.line, column, str(error))
                return
            self._sends(step.line, step.instrument, step.command, data)


def text_fields(command: CompiledCommand) -> set[str]:
    """The arguments of a command that are texts."""
    if command.pattern is None:
        return set()
    return {one.name for one in command.pattern.fields if not one.is_number}


class _Sizes:
    """How many steps there are and how long they take, each procedure that is carried out looked at once."""

    def __init__(self, called: Mapping[str, Procedure]) -> None:
        self._called = called
        self._counts: dict[str, int] = {}
        self._lasting: dict[str, tuple[int, int]] = {}

    def count(self, procedure: Procedure) -> int:
        """Steps that are carried out at most."""
        if procedure.name not in self._counts:
            self._counts[procedure.name] = self._count((*procedure.steps, *procedure.always))
        return self._counts[procedure.name]

    def _count(self, steps: Iterable[Step]) -> int:
        total = 0
        for step in steps:
            total += 1
            if isinstance(step, For):
                total += len(step.values) * self._count(step.body)
            elif isinstance(step, If):
                total += max(self._count(step.then), self._count(step.otherwise))
            elif isinstance(step, CarryOut):
                total += self.count(self._called[step.words.text])
        return total

    def spans(self, procedure: Procedure) -> tuple[int, int]:
        """Microseconds that it takes at least and at most."""
        if procedure.name not in self._lasting:
            self._lasting[procedure.name] = self._spans((*procedure.steps, *procedure.always))
        return self._lasting[procedure.name]

    def _spans(self, steps: Iterable[Step]) -> tuple[int, int]:
        least = most = 0
        for step in steps:
            low = high = 0
            if isinstance(step, Wait):
                low = high = step.span
            elif isinstance(step, WaitUntil | Read | Capture):
                high = step.at_most
            elif isinstance(step, WaitSteady):
                low, high = step.span, step.at_most
            elif isinstance(step, Point):
                low = high = step.span
            elif isinstance(step, If):
                then, other = self._spans(step.then), self._spans(step.otherwise)
                low, high = min(then[0], other[0]), max(then[1], other[1])
            elif isinstance(step, For):
                low, high = (len(step.values) * one for one in self._spans(step.body))
            elif isinstance(step, CarryOut):
                low, high = self.spans(self._called[step.words.text])
            least, most = least + low, most + high
        return least, most
