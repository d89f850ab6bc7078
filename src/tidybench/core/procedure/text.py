"""The text of a procedure: one step a line, blocks by indentation. docs/formats/procedures.md describes it for its users."""

import difflib
import math
import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass

from tidybench.core.curves.capture_order import MOST_BEFORE, MOST_SAMPLES
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
    carried_out_in,
)

LONGEST, LONGEST_LINE, MOST_LINES, DEEPEST, MOST_TURNS = 200_000, 500, 2000, 12, 10_000
SPANS = {"ms": 1_000, "s": 1_000_000, "min": 60_000_000, "h": 3_600_000_000}
MOST = 7 * 86_400_000_000
"""Microseconds that a wait may take: a week."""

LONGEST_NAME = 100
MOST_COLUMNS = 21
"""Values of a row that is drawn."""

"""Characters of a run's name, before values are put into it."""

NAMED = "It begins with its name: procedure Pump acceptance."
AVERAGED = 10_000_000
NUMBER = r"[+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?"
_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")
_SPAN = re.compile(rf"({NUMBER})\s*(ms|s|min|h)\b")
_TELL = re.compile(r"([a-z0-9][a-z0-9_-]*)\.([a-z0-9][a-z0-9._-]*)(?=\s|,|$)")
_TAIL = re.compile(r",\s*else\s+(stop|go on|ask)\s*$")
_AT_MOST = re.compile(rf",\s*at most\s+({NUMBER}\s*(?:ms|s|min|h))\s*$")
_STEADY = re.compile(
    rf'("?)([a-z0-9][a-z0-9._-]*)\1\s+is steady within\s+(.+?)\s+for\s+({NUMBER}\s*(?:ms|s|min|h))\s*$'
)
_CAPTURED = re.compile(r"([^:]+):\s*(\d{1,9})\s+samples(?:\s*,\s*(\d{1,9})\s+before)?")
_CHANNEL = re.compile(r'("?)([a-z0-9][a-z0-9._-]*)\1')
_UNIT = re.compile(r"\[([^\[\]]*)\]\s*$")
WORDS = (
    "set", "send", "wait", "ask", "mark", "say", "take point", "read", "draw", "capture", "zero", "begin run", "end run", "let", "carry out", "if", "else", "for", "repeat",
    "always", "procedure",
)  # fmt: skip


class _Wrong(Exception):
    def __init__(self, column: int, what: str) -> None:
        self.column, self.what = column, what
        super().__init__(what)


@dataclass(slots=True)
class _Line:
    number: int
    indent: int
    text: str  # without the indentation and what follows it

    def column(self, place: int) -> int:
        return self.indent + place + 1


def parse(text: str) -> Procedure:
    """A procedure from its text. Raises ProcedureError with every line that is wrong."""
    if len(text) > LONGEST:
        raise ProcedureError([Problem(1, 1, f"A procedure has at most {LONGEST:,} characters.")])
    return _Parser(text).whole()


def rows_of(text: str) -> list[str]:
    """The lines of a text, as an editor counts them."""
    return text.replace("\r\n", "\n").split("\n")


def is_control(char: str) -> bool:
    """Whether a character is none that is seen; some programs end a line at it."""
    return ord(char) < 0x20 or char in "\x7f\x85\u2028\u2029"


def name_of(text: str) -> str:
    """The name in the first line of a procedure, whatever stands below. Raises ProcedureError where there is none."""
    rows = ((number, _without_comment(row)) for number, row in enumerate(rows_of(text), 1))
    number, bare = next(((number, bare) for number, bare in rows if bare.strip()), (1, ""))
    name = bare.removeprefix("procedure ").strip() if bare.startswith("procedure ") else ""
    if not name or len(name) > 80 or "/" in name:
        raise ProcedureError([Problem(number, 1, f"{NAMED} A name has at most 80 characters, and no /.")])
    return name


def with_carried_out(texts: Iterable[str], kept: Mapping[str, str]) -> dict[str, str]:
    """The procedures that these texts carry out, and those that these do, by name, as far as they are kept."""
    found: dict[str, str] = {}
    waiting = list(texts)
    while waiting:
        try:
            procedure = parse(waiting.pop())
        except ProcedureError:  # its problems are said where it is looked at
            continue
        for name in carried_out_in((*procedure.steps, *procedure.always)):
            if name in kept and name not in found:
                found[name] = kept[name]
                waiting.append(kept[name])
    return found


class _Parser:
    def __init__(self, text: str) -> None:
        self.problems: list[Problem] = []
        self._lines: list[_Line] = []
        self._at = 0
        rows = rows_of(text)
        for number, row in enumerate(rows[:MOST_LINES], 1):
            bare = _without_comment(row)
            if not bare.strip():
                continue
            if len(bare) > LONGEST_LINE:
                self._wrong(number, LONGEST_LINE, f"A line has at most {LONGEST_LINE} characters.")
                bare = bare[:LONGEST_LINE]
            control = next((at for at, char in enumerate(bare, 1) if is_control(char) and char != "\t"), 0)
            if control:
                self._wrong(number, control, "A control character stands here: remove it.")
            indent = len(bare) - len(bare.lstrip())
            if "\t" in bare[:indent]:
                self._wrong(number, 1, "Indent with blanks: a tab is as wide as each program likes.")
            self._lines.append(_Line(number, indent, bare.strip()))
        if len(rows) > MOST_LINES:
            self._wrong(MOST_LINES + 1, 1, f"A procedure has at most {MOST_LINES} lines.")

    def _wrong(self, line: int, column: int, what: str) -> None:
        self.problems.append(Problem(line, column, what))

    def whole(self) -> Procedure:
        name = ""
        steps: tuple[Step, ...] = ()
        always: tuple[Step, ...] | None = None
        first = self._lines[0] if self._lines else None
        if first is None or not first.text.startswith("procedure ") or first.indent:
            self._wrong(first.number if first else 1, 1, NAMED)
        else:
            name = first.text.removeprefix("procedure ").strip()
            if len(name) > 80:
                self._wrong(first.number, 11, "A name has at most 80 characters.")
            self._at = 1
            steps = self._block(0)
        if self._at < len(self._lines) and self._lines[self._at].text == "always":
            line = self._lines[self._at]
            self._at += 1
            always = self._block(0)
            if not always:
                self._wrong(
                    line.number, 1, "Nothing stands below “always”: indent what is to be done at the end."
                )
        if not self.problems and self._at < len(self._lines):
            line = self._lines[self._at]
            self._wrong(line.number, line.column(0), "This stands outside of the procedure: indent it below its first line.")  # fmt: skip
        if not self.problems and not steps:
            self._wrong(
                first.number if first else 1, 1, "It has no steps: write them below, indented, one a line."
            )
        if self.problems:
            raise ProcedureError(sorted(self.problems, key=lambda one: (one.line, one.column)))
        return Procedure(name, steps, always or ())

    def _block(self, outside: int, deep: int = 0) -> tuple[Step, ...]:
        """The lines that are indented deeper than `outside`, as much as the first of them."""
        steps: list[Step] = []
        inside = -1
        while self._at < len(self._lines) and self._lines[self._at].indent > outside:
            line = self._lines[self._at]
            if inside < 0:
                inside = line.indent
            if line.indent != inside:
                self._wrong(line.number, line.column(0), "Its indentation is that of no line above it.")
            self._at += 1
            if deep >= DEEPEST:
                self._wrong(line.number, line.column(0), f"Blocks go {DEEPEST} deep at the most.")
            try:
                step = self._step(line, inside, deep)
            except _Wrong as wrong:
                self._wrong(line.number, wrong.column, wrong.what)
                self._block(inside, deep + 1)  # what belongs to it is read all the same
                continue
            if step is not None:
                steps.append(step)
        return tuple(steps)

    def _step(self, line: _Line, indent: int, deep: int) -> Step | None:
        makers: dict[str, Callable[[_Line, str, int], Step]] = {
            "set": _set, "send": _send, "wait": _wait, "ask": _ask, "mark": _mark, "say": _mark, "take point": _point,
            "read": _read, "draw": _draw, "capture": _capture, "zero": _zero, "begin run": _begin, "let": _let, "carry out": _carry_out,
        }  # fmt: skip
        for word, make in makers.items():
            if line.text.startswith(word + " "):
                start = len(word) + 1
                rest = line.text[start:]
                return make(line, rest.lstrip(), line.column(start + len(rest) - len(rest.lstrip())))
        if line.text == "end run":
            return EndRun(line.number)
        if line.text.startswith("if "):
            return self._if(line, indent, deep)
        if line.text.startswith(("for ", "repeat ")):
            return self._for(line, indent, deep)
        if line.text == "else":
            raise _Wrong(line.column(0), "There is no “if” above this “else”, as far indented as it is.")
        if line.text in ("always", "procedure"):
            raise _Wrong(line.column(0), f"“{line.text}” is not indented: it stands below the steps, at the beginning of its line.")  # fmt: skip
        word = line.text.split()[0]
        near = difflib.get_close_matches(word, WORDS, 1, 0.6)
        hint = f" Perhaps “{near[0]}” is meant." if near else f" Known are {', '.join(WORDS[:19])}."
        raise _Wrong(line.column(0), f"“{word}” is no step.{hint}")

    def _if(self, line: _Line, indent: int, deep: int) -> Step:
        condition = Formula(line.text[3:].strip(), line.column(3))
        then = self._block(indent, deep + 1)
        if not then:
            raise _Wrong(line.column(0), "Nothing stands below it: indent what is to be done then.")
        other: tuple[Step, ...] = ()
        if (
            self._at < len(self._lines)
            and self._lines[self._at].text == "else"
            and self._lines[self._at].indent == indent
        ):
            self._at += 1
            other = self._block(indent, deep + 1)
            if not other:
                raise _Wrong(line.column(0), "Nothing stands below its “else”.")
        return If(line.number, condition, then, other)

    def _for(self, line: _Line, indent: int, deep: int) -> Step:
        name, unit, values = _turns(line)
        body = self._block(indent, deep + 1)
        if not body:
            raise _Wrong(line.column(0), "Nothing stands below it: indent what is to be repeated.")
        return For(line.number, name, unit, values, body)


def _without_comment(row: str) -> str:
    """A line up to its #, unless that stands within quotes or brackets."""
    quoted = False
    for place, char in enumerate(row):
        if char == '"':
            quoted = not quoted
        if char == "#" and not quoted:
            return row[:place].rstrip()
    return row.rstrip()


def _span(text: str, column: int) -> int:
    match = _SPAN.fullmatch(text.strip())
    if match is None:
        raise _Wrong(column, f"“{text.strip()}” is no time: write it as 5 s, 200 ms, 2 min or 1 h.")
    span = float(match[1]) * SPANS[match[2]]
    if not 0.5 < span <= MOST:
        raise _Wrong(column, "A time is longer than nothing, and at most a week.")
    return round(span)


def _tail(rest: str) -> tuple[str, Else]:
    """What stands before “, else …”, and what happens else."""
    match = _TAIL.search(rest)
    if match is None:
        return rest, "stop"
    found: dict[str, Else] = {"go on": "go on", "ask": "ask"}
    return rest[: match.start()].rstrip(), found.get(match[1], "stop")


def _quoted(rest: str, column: int) -> tuple[Words, str]:
    """A text in quotes, and what stands behind it."""
    if not rest.startswith('"') or (end := rest.find('"', 1)) < 0:
        raise _Wrong(column, 'A text in quotes is wanted here: "…"')
    words = rest[1:end]
    if not words.strip() or len(words) > 300:
        raise _Wrong(column, "A text has 1 to 300 characters.")
    return Words(words, column + 1), rest[end + 1 :].strip()


def _nothing_more(rest: str, column: int) -> None:
    if rest:
        raise _Wrong(column, f"“{rest}” is not understood here.")


def _named(rest: str, column: int) -> tuple[str, str, str]:
    match = _TELL.match(rest)
    if match is None:
        raise _Wrong(
            column, "An instrument and its command are wanted here, by their ids: valve-positioner.opening"
        )
    return match[1], match[2], rest[match.end() :].strip()


def _set(line: _Line, rest: str, column: int) -> Step:
    rest, otherwise = _tail(rest)
    instrument, command, more = _named(rest, column)
    if not more.startswith("to ") or not more[3:].strip():
        raise _Wrong(column, f"What it is set to is missing: set {instrument}.{command} to 60 [%]")
    start = rest.index(" to ") + 4
    value = rest[start:]
    formula = Formula(value.strip(), column + start + len(value) - len(value.lstrip()))
    return Tell(line.number, instrument, command, column, formula, (), otherwise)


def _send(line: _Line, rest: str, column: int) -> Step:
    rest, otherwise = _tail(rest)
    instrument, command, more = _named(rest, column)
    if more and not more.startswith("with "):
        raise _Wrong(column, f"“{more}” is not understood: write send {instrument}.{command} with field = value, field = value")  # fmt: skip
    values = _values(more, column + len(rest) - len(more))
    return Tell(line.number, instrument, command, column, None, values, otherwise)


def _values(more: str, column: int) -> tuple[tuple[str, Formula], ...]:
    """What stands behind “with”; `more` begins with that, or is empty."""
    values: list[tuple[str, Formula]] = []
    at = 5
    for piece in _parted(more[at:]) if more else ():
        name, sign, value = piece.partition("=")
        if not sign or not name.strip() or not value.strip():
            raise _Wrong(column + at, f"“{piece.strip()}” is no argument: write field = value.")
        values.append((name.strip(), Formula(value.strip(), column + at + len(name) + 1 + len(value) - len(value.lstrip()))))  # fmt: skip
        at += len(piece) + 1
    return tuple(values)


def _carry_out(line: _Line, rest: str, column: int) -> Step:
    rest, otherwise = _tail(rest)
    words, more = _quoted(rest, column)
    if more and not more.startswith("with "):
        raise _Wrong(column, f"“{more}” is not understood: write carry out \"{words.text}\" with name = value, name = value")  # fmt: skip
    values = _values(more, column + len(rest) - len(more))
    twice = [name for place, (name, _) in enumerate(values) if name in dict(values[:place])]
    if twice:
        raise _Wrong(column, f"“{twice[0]}” stands here twice.")
    return CarryOut(line.number, words, values, otherwise)


def _parted(text: str) -> list[str]:
    """At commas that stand in no brackets and no quotes."""
    parts, deep, quoted = [""], 0, False
    for char in text:
        if char == '"':
            quoted = not quoted
        deep += (char in "([") - (char in ")]")
        if char == "," and not deep and not quoted:
            parts.append("")
        else:
            parts[-1] += char
    return parts


def _wait(line: _Line, rest: str, column: int) -> Step:
    if not rest.startswith("until "):
        return Wait(line.number, _span(rest, column))
    body, otherwise = _tail(rest[6:])
    match = _AT_MOST.search(body)
    if match is None:
        raise _Wrong(column, "Every wait has an end: write, at most 2 min behind it.")
    at_most, body = _span(match[1], column), body[: match.start()].rstrip()
    steady = _STEADY.fullmatch(body.strip())
    if steady is not None:
        span = _span(steady[4], column)
        if span > at_most:
            raise _Wrong(column, "It cannot be steady for longer than is waited at most.")
        place = column + 6 + steady.start(3)
        return WaitSteady(
            line.number, steady[2], column + 6, Formula(steady[3], place), span, at_most, otherwise
        )
    return WaitUntil(line.number, Formula(body.strip(), column + 6), at_most, otherwise)


def _ask(line: _Line, rest: str, column: int) -> Step:
    at_most = ASKED
    if match := _AT_MOST.search(rest):
        at_most, rest = _span(match[1], column), rest[: match.start()].rstrip()
    name = ""
    if found := _NAME.match(rest):
        name, rest = found[0], rest[found.end() :].lstrip()
    words, more = _quoted(rest, column)
    unit = ""
    answer: Answer = "number" if name else "yes or no"
    if name and (match := _UNIT.fullmatch(more)):
        unit, more = match[1].strip(), ""
    elif more == "text":
        if not name:
            raise _Wrong(column, 'A text has a name by which it is used: ask serial "Serial number?" text')
        answer, more = "text", ""
    elif more == "picture":
        answer, more = "picture", ""
    _nothing_more(more, column)
    return Ask(line.number, words, name, unit, at_most, answer)


def _mark(line: _Line, rest: str, column: int) -> Step:
    words, more = _quoted(rest, column)
    _nothing_more(more, column)
    return Mark(line.number, words, line.text.startswith("say"))


def _point(line: _Line, rest: str, column: int) -> Step:
    rest, otherwise = _tail(rest)
    words, more = _quoted(rest, column)
    span = AVERAGED
    if more.startswith(",") and more[1:].strip().startswith("averaging "):
        span, more = _span(more[1:].strip().removeprefix("averaging "), column), ""
    _nothing_more(more, column)
    return Point(line.number, words, span, otherwise)


def _read(line: _Line, rest: str, column: int) -> Step:
    rest, otherwise = _tail(rest)
    match = _AT_MOST.search(rest)
    if match is None:
        raise _Wrong(column, "Every wait has an end: write, at most 30 s behind it.")
    at_most, rest = _span(match[1], column), rest[: match.start()].rstrip()
    name, sign, channel = rest.rpartition("=")
    found = _CHANNEL.fullmatch(channel.strip())
    if found is None or (sign and not _NAME.fullmatch(name.strip())):
        raise _Wrong(column, "A channel is wanted here, by its id: read length = caliper, at most 30 s")
    place = column + len(name) + len(sign) + len(channel) - len(channel.lstrip())
    return Read(line.number, found[2], place, name.strip(), at_most, otherwise)


def _draw(line: _Line, rest: str, column: int) -> Step:
    rest, otherwise = _tail(rest)
    words, more = _quoted(rest, column)
    if not more.startswith("with "):
        raise _Wrong(
            column,
            f'What a row has is missing: draw "{words.text}" with opening = opening, flow = "loop-flow"',
        )
    values = _values(more, column + len(rest) - len(more))
    names = [name for name, _ in values]
    twice = [name for place, name in enumerate(names) if name in names[:place]]
    if twice:
        raise _Wrong(column, f"“{twice[0]}” stands here twice.")
    if not 2 <= len(values) <= MOST_COLUMNS or any(len(name) > 80 for name in names):
        raise _Wrong(
            column,
            f"A row has 2 to {MOST_COLUMNS} values, the first is what the curve is drawn over; a name has at most 80 characters.",
        )
    return Draw(line.number, words, values, otherwise)


def _capture(line: _Line, rest: str, column: int) -> Step:
    rest, otherwise = _tail(rest)
    match = _AT_MOST.search(rest)
    if match is None:
        raise _Wrong(column, "Every wait has an end: write, at most 30 s behind it.")
    at_most, rest = _span(match[1], column), rest[: match.start()].rstrip()
    found = _CAPTURED.fullmatch(rest)
    channels = [_CHANNEL.fullmatch(one.strip()) for one in found[1].split(",")] if found is not None else []
    if found is None or not all(channels) or len(channels) > 8:
        raise _Wrong(
            column,
            "Channels by their ids and a number are wanted here: capture vibration: 1000 samples, 100 before, at most 30 s",
        )
    samples, before = int(found[2]), int(found[3] or 0)
    if not 2 <= samples <= MOST_SAMPLES or before >= samples or before > MOST_BEFORE:
        raise _Wrong(
            column,
            f"A capture has 2 to {MOST_SAMPLES:,} samples, at most {MOST_BEFORE:,} of them from before, and at least one that is not.",
        )
    names = tuple(one[2] for one in channels if one is not None)
    if len(set(names)) < len(names):
        raise _Wrong(column, "A channel stands here twice.")
    return Capture(line.number, names, column, samples, before, at_most, otherwise)


def _zero(line: _Line, rest: str, column: int) -> Step:
    rest, otherwise = _tail(rest)
    match = _CHANNEL.fullmatch(rest.strip())
    if match is None:
        raise _Wrong(column, "A channel is wanted here, by its id: zero discharge")
    return ZeroIt(line.number, match[2], column, otherwise)


def _begin(line: _Line, rest: str, column: int) -> Step:
    planned = rest.startswith("from plan ")
    if planned:
        column += len(rest) - len(rest[10:].lstrip())
        rest = rest[10:].lstrip()
    words, more = _quoted(rest, column)
    if len(words.text) > LONGEST_NAME:
        raise _Wrong(column, f"A run's name has at most {LONGEST_NAME} characters.")
    _nothing_more(more, column)
    return BeginRun(line.number, words, planned)


def _let(line: _Line, rest: str, column: int) -> Step:
    name, sign, value = rest.partition("=")
    if not sign or not _NAME.fullmatch(name.strip()) or not value.strip():
        raise _Wrong(column, "A name and a value are wanted: let speed = 1450 [rpm]")
    return Let(line.number, name.strip(), Formula(value.strip(), column + len(name) + 1 + len(value) - len(value.lstrip())))  # fmt: skip


def _turns(line: _Line) -> tuple[str, str, tuple[float, ...]]:
    """Name, unit and values of a loop."""
    if match := re.fullmatch(r"repeat\s+(\d{1,18})\s+times", line.text):
        count = int(match[1])
        if not 1 <= count <= MOST_TURNS:
            raise _Wrong(line.column(7), f"It is repeated 1 to {MOST_TURNS:,} times.")
        return "", "", tuple(float(n) for n in range(1, count + 1))
    match = re.fullmatch(r"for\s+([A-Za-z_][A-Za-z0-9_]*)\s*=\s*(.+)", line.text)
    if match is None:
        raise _Wrong(line.column(0), "Write for opening = 20, 40, 60 [%], for opening = 20 to 100 step 20 [%], or repeat 5 times.")  # fmt: skip
    name, text, unit = match[1], match[2], ""
    column = line.column(match.start(2))
    if found := _UNIT.search(text):
        unit, text = found[1].strip(), text[: found.start()].strip()
    if stepped := re.fullmatch(rf"({NUMBER})\s+to\s+({NUMBER})\s+step\s+({NUMBER})", text):
        first, last, step = (_figure(stepped[n], column) for n in (1, 2, 3))
        if step == 0 or (last - first) / step < 0:
            raise _Wrong(column, "With this step it never comes to its end.")
        turns = (last - first) / step + 1e-9
        if not turns < MOST_TURNS:
            raise _Wrong(column, f"It has more than {MOST_TURNS:,} turns: that is the most.")
        count = int(turns) + 1
        return name, unit, tuple(round(first + n * step, 12) for n in range(count))
    values = []
    for piece in text.split(","):
        if not re.fullmatch(NUMBER, piece.strip()):
            raise _Wrong(column, f"“{piece.strip()}” is no number.")
        values.append(_figure(piece, column))
    return name, unit, tuple(values)


def _figure(text: str, column: int) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise _Wrong(column, f"{text.strip()} is too large a number.")
    return value
