"""A command table from a manual, pasted: each line becomes a command, with what that was taken from, to be checked by a person.

What a line says of itself decides: a placeholder (`<temp>`, `{n}`, `xxx.x`, `nnn`, a small letter) is an argument, two figures with
“to”, “..” or a dash between them are its range, words parted by `|` or `/` its choices, “default 5” its default, a question mark says
that it reads. What a line does not say is not made up.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass

from pydantic import ValidationError

from tidybench.core.compile.command import compile_command
from tidybench.core.compile.edit import free_id
from tidybench.core.setup import Setup
from tidybench.core.setup.commands import ArgumentPart, Does, InstrumentCommandPart
from tidybench.core.setup.toml import sentences
from tidybench.core.teaching.units import UNITS

MOST_LINES = 500

_NUMBER = r"[+-]?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?"
_RANGE = re.compile(
    rf"(?<![\w.])({_NUMBER})\s*(?:\.\.\.?|…|to\b|–|-)\s*({_NUMBER})(?![\w.])\s*(%|[°A-Za-zµΩ][\w/°²³·]*|)"
)
_DEFAULT = re.compile(rf"\bdefault(?:s to|\s+is|\s*[:=])?\s*({_NUMBER}|[A-Z][A-Z0-9]*)", re.IGNORECASE)
_RETURNS = re.compile(r"(?:\breturns?|\banswers?(?: with)?|\brepl(?:y|ies)(?: with)?|->|→)\s*:?\s*[“\"'`]?([^“”\"'`,;]+)", re.IGNORECASE)  # fmt: skip
_FINAL = re.compile(r"\b(factory|erases?|deletes?|formats?|clears? (?:all|memory)|overwrites?|permanent\w*|cannot be undone)\b", re.IGNORECASE)  # fmt: skip
_HEADINGS = frozenset(("command", "commands", "cmd", "mnemonic", "syntax", "query", "string", "code"))
_BRACKETED = re.compile(r"<([^<>]*)>|\{([^{}]*)\}")
_MASK = re.compile(r"^[+-]?(?:[xX#nd]+)(?:\.[xX#nd]+)?$")
_LETTER = re.compile(r"^[a-z]$|^[a-z][a-z_]*[0-9]?$")
_CHOICES = re.compile(r"^[A-Za-z0-9.+-]+(?:[|/][A-Za-z0-9.+-]+)+$")
_LISTED = re.compile(r"(?<![\w|/])([A-Z0-9][A-Z0-9.+-]*(?:(?:\s*[|/]\s*)[A-Z0-9][A-Z0-9.+-]*)+)(?![\w|/])")
_MNEMONIC = re.compile(r"^[:*]?[A-Za-z][A-Za-z0-9:_*.]*\??$|^[^\w\s]?[A-Z0-9]+[=?]?$")


@dataclass(slots=True, frozen=True)
class ProposedCommand:
    """A line of the table as a command. `line` counts from 1; `evidence` and `doubts` are sentences."""

    line: int
    source: str
    part: InstrumentCommandPart
    evidence: tuple[str, ...]
    doubts: tuple[str, ...]


@dataclass(slots=True, frozen=True)
class SkippedLine:
    """A line that became no command, and why."""

    line: int
    source: str
    why: str


def read_table(setup: Setup, text: str) -> tuple[list[ProposedCommand], list[SkippedLine]]:
    """Every line as a command of this set-up, or why it is none; empty lines are left out. At most `MOST_LINES` are read."""
    found: list[ProposedCommand] = []
    skipped: list[SkippedLine] = []
    taken = {one.id for one in setup.command}
    lines = text.splitlines()
    for number, line in enumerate(lines[:MOST_LINES], 1):
        cells = _cells(line)
        if not cells or not cells[0] or not re.search(r"\w", line):
            continue
        why = _why_none(cells, line)
        made = _Line(cells) if not why else None
        if made is None:
            skipped.append(SkippedLine(number, line.strip(), why))
            continue
        try:
            part = made.part(setup, taken)
            compile_command(setup, part)
        except ValidationError as error:
            skipped.append(SkippedLine(number, line.strip(), " ".join(sentences(error.errors()[0], ""))))
            continue
        except ValueError as error:
            skipped.append(SkippedLine(number, line.strip(), f"{error}".rstrip(".") + "."))
            continue
        taken.add(part.id)
        found.append(ProposedCommand(number, line.strip(), part, tuple(made.evidence), tuple(made.doubts)))
    if len(lines) > MOST_LINES:
        skipped.append(SkippedLine(MOST_LINES + 1, "…", f"Only the first {MOST_LINES} lines are read: paste the rest by itself."))  # fmt: skip
    return found, skipped


def _cells(line: str) -> list[str]:
    stripped = line.strip()
    if "\t" in stripped:
        cells = stripped.split("\t")
    elif stripped.startswith("|"):
        cells = re.split(r"\s\|\s?|^\|\s?|\s?\|$", stripped)
    elif len(wide := re.split(r"\s{2,}", stripped)) > 1:
        cells = wide
    else:
        cells = re.split(r"\s+[-–—]\s+|:\s+", stripped, maxsplit=1)
    return [cell.strip().strip("`") for cell in cells if cell.strip()]


def _why_none(cells: Sequence[str], line: str) -> str:
    first = cells[0].split()
    if cells[0].lower() in _HEADINGS:
        return "This is the heading of the table."
    if re.fullmatch(r"[\s|:+=-]+", line):
        return "This is a rule of the table."
    if not _MNEMONIC.match(re.split(r"[<{=]", first[0])[0] or first[0]):
        return f"“{first[0]}” does not look like the beginning of a command."
    if len(cells) == 1 and len(first) > 2 and not re.search(r"[A-Z]{2}|[<{?]", cells[0]):
        return "This reads like a sentence: no command stands apart from its description."
    if len(first) > 6:
        return "This reads like a sentence: no command stands apart from its description."
    return ""


class _Line:
    """What one line says."""

    def __init__(self, cells: Sequence[str]) -> None:
        self._text, self._more = cells[0], list(cells[1:])
        self.evidence: list[str] = []
        self.doubts: list[str] = []
        self._arguments: list[ArgumentPart] = []

    def part(self, setup: Setup, taken: set[str]) -> InstrumentCommandPart:
        """As a command. Raises ValueError where it cannot be one."""
        send = self._pattern()
        self._no_guessed_ranges()
        description = next((cell for cell in reversed(self._more) if re.search(r"[a-z]{3}", cell)), "")
        name = re.split(r"[.;(,]", description)[0].strip()[:60] or self._text[:60]
        patterns = self._answer()
        return InstrumentCommandPart(
            id=free_id(name, taken),
            name=name,
            does=self._does(description),
            send=send + setup.sends_end.replace("\\", "\\\\"),
            argument=self._arguments,
            patterns=patterns,
            note=description[:500] if description and description != name else "",
        )

    def _pattern(self) -> str:
        """The command as a pattern."""
        tokens: list[str] = []
        for place, token in enumerate(self._spaced().split(" ")):
            tokens.append(self._token(token, place == 0))
        return " ".join(tokens)

    def _no_guessed_ranges(self) -> None:
        """Of several arguments with fewer ranges nobody knows which one has which."""
        ranges = [match[0].strip() for match in _RANGE.finditer(" ".join(self._more))]
        free = [one for one in self._arguments if not one.choices]
        if not ranges or len(free) <= len(ranges) or len(free) == 1:
            return
        self._arguments = [
            one.model_copy(update={"lowest": None, "highest": None, "unit": "", "default": None})
            for one in self._arguments
        ]
        self.evidence = [
            one for one in self.evidence if "as its range" not in one and "as its default" not in one
        ]
        self.doubts = [one for one in self.doubts if not one.startswith("Nothing says which values")]
        said = " and ".join(f"“{one}”" for one in ranges)
        self.doubts.append(
            f"It has {len(free)} arguments, and {said} may belong to any of them: give each its range."
        )

    def _spaced(self) -> str:
        """Blanks within brackets do not part."""
        return _BRACKETED.sub(lambda m: m[0].replace(" ", "_"), self._text)

    def _token(self, token: str, first: bool) -> str:
        if _BRACKETED.search(token):
            made, end = "", 0
            for match in _BRACKETED.finditer(token):
                made += _escaped(token[end : match.start()])
                made += self._argument((match[1] if match[1] is not None else match[2]).strip("_"))
                end = match.end()
            return made + _escaped(token[end:])
        head, equals, tail = token.partition("=")
        if equals and tail and (_is_placeholder(tail) or _CHOICES.match(tail)):
            return _escaped(head + equals) + self._argument(tail)
        head, comma, tail = token.partition(",")
        if comma and not first and all(map(_is_placeholder, token.split(","))):
            return ",".join(self._argument(one) for one in token.split(","))
        if not first and (_is_placeholder(token) or _CHOICES.match(token)):
            return self._argument(token)
        return _escaped(token)

    def _argument(self, text: str) -> str:
        """A placeholder as a field; what is known of it becomes an argument."""
        number = len(self._arguments) + 1
        if _CHOICES.match(text):
            name = "choice" if number == 1 else f"choice{number}"
            return self._chosen(name, re.split(r"[|/]", text), f"“{text}”")
        mask = _MASK.match(text) is not None and len(text) > 1
        name = _name(text) if not mask and text else "value"
        name = name if not any(one.field == name for one in self._arguments) else f"{name}{number}"
        cells = " ".join(self._more)
        listed = _LISTED.search(cells)
        ranges = list(_RANGE.finditer(cells))
        if listed is not None and not ranges and not mask:
            return self._chosen(name, re.split(r"\s*[|/]\s*", listed[1]), f"“{listed[1]}”")
        told: dict[str, object] = {"field": name, "name": _title(text) if not mask else ""}
        if mask:
            self.evidence.append(f"“{text}” is taken as a number with {_digits(text)}.")
        elif text:
            self.evidence.append(f"“{text}” is taken as its argument.")
        if len(ranges) >= number:
            low, high, unit = ranges[number - 1].groups()
            told |= {"lowest": float(low), "highest": float(high)}
            said = f"{low} to {high}"
            if unit in UNITS or unit in ("%", "°C", "K"):
                told["unit"], said = unit, f"{said} {unit}"
            self.evidence.append(f"“{ranges[number - 1][0].strip()}” is taken as its range: {said}.")
        else:
            self.doubts.append(f"Nothing says which values {name} can have: give its range.")
        if (default := _DEFAULT.search(cells)) and re.fullmatch(_NUMBER, default[1]) and number == 1:
            told["default"] = float(default[1])
            self.evidence.append(f"“{default[0]}” is taken as its default.")
        self._arguments.append(ArgumentPart.model_validate(told))
        return f"<{name}:number {_width(text)}>" if mask else f"<{name}>"

    def _chosen(self, name: str, choices: Sequence[str], said: str) -> str:
        numeric = all(re.fullmatch(_NUMBER, one) for one in choices)
        values: list[object] = [float(one) if numeric else one for one in choices]
        default = _DEFAULT.search(" ".join(self._more))
        told: dict[str, object] = {"field": name, "choices": values}
        if default and default[1] in choices:
            told["default"] = values[list(choices).index(default[1])]
        self._arguments.append(ArgumentPart.model_validate(told))
        self.evidence.append(f"{said} is taken as the choices it has.")
        return f"<{name}>" if numeric else f"<{name}:word>"

    def _does(self, description: str) -> Does:
        if self._text.rstrip().endswith("?"):
            self.evidence.append("The question mark says that it only reads.")
            return "reads"
        if final := _FINAL.search(description):
            self.evidence.append(
                f"“{final[0]}” in its description: it is asked for twice, as it may not be undone."
            )
            return "cannot be undone"
        return "sets"

    def _answer(self) -> list[str]:
        for cell in self._more:
            if (told := _RETURNS.search(cell)) is None:
                continue
            text = told[1].strip().rstrip(".")
            if re.fullmatch(r"[A-Z0-9][A-Z0-9 =_-]{0,20}", text):
                self.evidence.append(f"“{told[0].strip()}”: its answer must be “{text}”.")
                return [_escaped(text)]
            if _BRACKETED.search(text) and "|" not in text:
                pattern, end = "", 0
                for match in _BRACKETED.finditer(text):
                    pattern += _escaped(text[end : match.start()])
                    pattern += self._told_back(_name(match[1] if match[1] is not None else match[2]))
                    end = match.end()
                self.evidence.append(f"“{told[0].strip()}” is taken as its answer.")
                return [pattern + _escaped(text[end:])]
        if self._text.rstrip().endswith("?"):
            self.doubts.append("Nothing says how its answer reads: whatever comes is shown.")
        else:
            self.doubts.append("Nothing says what it answers: only a refusal is noticed.")
        return []

    def _told_back(self, name: str) -> str:
        """A field of the answer: what is sent as a word comes back as one."""
        sent = next((one for one in self._arguments if one.field == name), None)
        words = sent is not None and any(isinstance(one, str) for one in sent.choices)
        return f"<{name}:word>" if words else f"<{name}>"


def _is_placeholder(token: str) -> bool:
    return bool(token) and (_MASK.match(token) is not None or _LETTER.match(token) is not None)


def _name(text: str) -> str:
    name = re.sub(r"[^a-z0-9]+", "_", text.lower()).strip("_")
    return name if re.match(r"[a-z]", name) else f"value{name}"


def _title(text: str) -> str:
    words = text.replace("_", " ").strip()
    return words[:1].upper() + words[1:] if len(words) > 1 else ""


def _digits(mask: str) -> str:
    whole, _, behind = mask.lstrip("+-").partition(".")
    digits = f"{len(whole)} digits" if len(whole) != 1 else "1 digit"
    return f"{digits} and {len(behind)} behind the point" if behind else digits


def _width(mask: str) -> str:
    _, _, behind = mask.partition(".")
    return f"{len(mask)}.{len(behind)}"


def _escaped(text: str) -> str:
    return re.sub(r"[\\<>]", lambda m: f"\\{m[0]}", text)
