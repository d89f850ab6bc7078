"""A procedure checked against a bench: its commands, channels and units are there, and what it sends is within what may be sent."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from tidybench.core.compile.command import CommandError, CompiledCommand
from tidybench.core.expression.program import CONSTANTS, Nothing, Program, compiled
from tidybench.core.expression.tokens import ExpressionError
from tidybench.core.procedure.bench_view import BenchView
from tidybench.core.procedure.steps import (
    Ask,
    BeginRun,
    For,
    Formula,
    If,
    Let,
    Mark,
    Point,
    Problem,
    Procedure,
    ProcedureError,
    Step,
    Tell,
    Wait,
    WaitSteady,
    WaitUntil,
    Words,
    ZeroIt,
)
from tidybench.core.units import UnitError, unit_of

MOST_STEPS = 1_000_000
"""Steps that a procedure may have, its loops counted out."""

MOST_TRIED = 20_000
"""Values that are tried against their ranges before it begins: those of loops within loops are many."""

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
    """A procedure that can be carried out. `programs`: of its formulas, by their identity; `steady`: channels
    that are to be steady. `least`, `most`: microseconds that it takes,
    answers of instruments and persons left out."""

    procedure: Procedure
    view: BenchView
    programs: dict[int, Program] = field(default_factory=dict)
    steady: set[str] = field(default_factory=set)
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
        named = {name for program in self.programs.values() for name in program.inputs} | self.steady
        return {self.view.channels[name].number for name in named if name in self.view.channels}

    def program(self, formula: Formula) -> Program:
        """Of a formula of this procedure."""
        return self.programs[id(formula)]


def checked(procedure: Procedure, view: BenchView) -> Checked:
    """Check it. Raises ProcedureError with every line that is wrong."""
    checker = _Checker(procedure, view)
    checker.block(procedure.steps, {})
    checker.block(procedure.always, {})
    count = _count((*procedure.steps, *procedure.always))
    if count > MOST_STEPS:
        checker.problems.append(
            Problem(1, 1, f"It has {count:,} steps with all turns of its loops; {MOST_STEPS:,} is the most.")
        )
    if checker.problems:
        raise ProcedureError(checker.problems)
    made = checker.made
    made.least, made.most = _spans((*procedure.steps, *procedure.always))
    return made


Known = dict[str, tuple[str, tuple[float, ...] | None]]
"""Names: their unit, and all values they can have where that is known before."""


class _Checker:
    def __init__(self, procedure: Procedure, view: BenchView) -> None:
        self.made = Checked(procedure, view)
        self.problems: list[Problem] = []
        self._view, self._left = view, MOST_TRIED
        self._units = {id: one.unit for id, one in view.channels.items()}

    def _wrong(self, line: int, column: int, what: str) -> None:
        self.problems.append(Problem(line, column, what.rstrip(".") + "."))

    def block(self, steps: Iterable[Step], known: Known) -> None:
        for step in steps:
            self._step(step, known)

    def _step(self, step: Step, known: Known) -> None:
        if isinstance(step, Tell):
            self._tell(step, known)
        elif isinstance(step, Let):
            program = self._formula(step.line, step.value, known)
            unit = "" if program is None else program.unit.label
            self._name(step.line, step.name, known, unit, None)
        elif isinstance(step, WaitUntil):
            self._condition(step.line, step.condition, known)
        elif isinstance(step, WaitSteady):
            channel = self._view.channels.get(step.channel)
            if channel is None:
                self._wrong(step.line, step.column, f"There is no channel “{step.channel}” on this bench")
            else:
                self.made.steady.add(step.channel)
                self._formula(step.line, step.band, known, channel.unit)
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
                self._name(step.line, step.name, inside, step.unit, step.values)
            self.block(step.body, inside)
        elif isinstance(step, Ask):
            self._words(step.line, step.words, known)
            if step.name:
                self._unit(step.line, step.unit)
                self._name(step.line, step.name, known, step.unit, None)
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

    def _name(self, line: int, name: str, known: Known, unit: str, values: tuple[float, ...] | None) -> None:
        if name in self._units or name in CONSTANTS:
            self._wrong(line, 1, f"“{name}” is a channel, or a constant, already: take another name")
        known[name] = unit, values

    def _words(self, line: int, words: Words, known: Known) -> None:
        for match in PLACED.finditer(words.text):
            if match[1] not in known:
                self._wrong(line, words.column + match.start(), f"Nothing is called “{match[1]}” here")

    def _formula(
        self, line: int, formula: Formula, known: Known, target: str | None = None
    ) -> Program | None:
        units = {**self._units, **{name: unit for name, (unit, _) in known.items()}}
        try:
            bare = compiled(formula.text, units, None, constant=True)
            if target and not bare.unit.label and not bare.condition:
                self._wrong(line, formula.column, f"Give its unit: {formula.text} [{target}]")
                return None
            program = compiled(formula.text, units, target, constant=True) if target else bare
        except ExpressionError as error:
            self._wrong(line, formula.column + error.column - 1, error.what)
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
                if not re.fullmatch(r'"[^"]*"', formula.text):
                    self._wrong(step.line, formula.column, f"{name} is a text: write it in quotes")
                    fine = False
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
        names = sorted({one for program in programs.values() for one in program.inputs})
        turns: list[dict[str, float]] = [{}]
        for name in names:
            values = known[name][1] if name in known else None
            if values is None or len(turns) * len(values) > self._left:
                self.made.sends.append(Sending(step.line, step.instrument, step.command, None))
                return
            turns = [{**turn, name: value} for turn in turns for value in values]
        self._left -= len(turns)
        for turn in turns:
            try:
                texts = {name: formula.text[1:-1] for name, formula in given.items() if name not in programs}
                numbers = {name: program.value(0, [turn[one] for one in program.inputs]) for name, program in programs.items()}  # fmt: skip
                data = command.data(command.values({**texts, **numbers}))
            except (CommandError, Nothing) as error:
                column = next(iter(given.values())).column if given else step.column
                self._wrong(step.line, column, str(error))
                return
            self.made.sends.append(Sending(step.line, step.instrument, step.command, data))


def _count(steps: Iterable[Step]) -> int:
    """How many steps are carried out at most."""
    total = 0
    for step in steps:
        total += 1
        if isinstance(step, For):
            total += len(step.values) * _count(step.body)
        elif isinstance(step, If):
            total += max(_count(step.then), _count(step.otherwise))
    return total


def text_fields(command: CompiledCommand) -> set[str]:
    """The arguments of a command that are texts."""
    if command.pattern is None:
        return set()
    return {one.name for one in command.pattern.fields if not one.is_number}


def _spans(steps: Iterable[Step]) -> tuple[int, int]:
    """Microseconds that steps take at least and at most."""
    least = most = 0
    for step in steps:
        low = high = 0
        if isinstance(step, Wait):
            low = high = step.span
        elif isinstance(step, WaitUntil):
            high = step.at_most
        elif isinstance(step, WaitSteady):
            low, high = step.span, step.at_most
        elif isinstance(step, Point):
            low = high = step.span
        elif isinstance(step, If):
            then, other = _spans(step.then), _spans(step.otherwise)
            low, high = min(then[0], other[0]), max(then[1], other[1])
        elif isinstance(step, For):
            low, high = (len(step.values) * one for one in _spans(step.body))
        least, most = least + low, most + high
    return least, most
