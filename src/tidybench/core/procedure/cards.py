"""A step as a card with fields, and back: what a person fills in becomes a line of the text, which alone is what is kept."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from tidybench.core.procedure.spans import span_words
from tidybench.core.procedure.steps import (
    ASKED,
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
    ProcedureError,
    Read,
    Step,
    Tell,
    Wait,
    WaitSteady,
    WaitUntil,
    ZeroIt,
)
from tidybench.core.procedure.text import is_control, parse

CardKind = Literal[
    "set", "send", "wait", "wait until", "wait until steady", "ask", "mark", "say", "take point", "read", "draw", "capture", "zero", "begin run",
    "begin run from plan", "end run", "let", "carry out", "if", "else", "for", "repeat",
]  # fmt: skip
"""What a card does; “wait until steady” is a `wait until` with “is steady”."""

CardField = Literal[
    "command", "value", "values", "else", "span", "condition", "at most", "channel", "band", "text", "answer", "name", "unit", "times", "channels", "samples", "before",
]  # fmt: skip

BEFORE = "procedure x\n "
"""A line alone is no procedure: it is read below this."""


@dataclass(slots=True, frozen=True)
class Card:
    """A step; `fields`: texts by name, those that are left out are ""."""

    kind: CardKind
    fields: Mapping[CardField, str]


def card_of(words: str) -> Card:
    """The card of a line, without its indentation. Raises ProcedureError; columns count from the line's first character."""
    bare = words.strip()
    if bare == "else":
        return Card("else", {})
    holds = bare.startswith(("if ", "for ", "repeat "))
    try:
        [step] = parse(f"{BEFORE}{bare}\n" + ('  say "x"\n' if holds else "")).steps
    except ProcedureError as error:
        raise ProcedureError([Problem(1, max(1, one.column - 1), one.what) for one in error.problems]) from None  # fmt: skip
    return Card(*_taken_apart(step, bare))


def words_of(card: Card) -> str:
    """The line of a card. Raises ProcedureError where a field is no good; its column counts from the line's first character."""
    fields = {name: value.strip() for name, value in card.fields.items()}
    for name, value in fields.items():
        what = ""
        if any(is_control(char) for char in value):
            what = "it stands in one line"
        elif '"' in value and name == "text":
            what = "a text has no quotes in it"
        elif "#" in value.replace('"', "") and name != "text":
            what = "a # begins a comment"
        if what:
            raise ProcedureError([Problem(1, 1, f"{name}: {what}.")])
    words = _put_together(card.kind, fields)
    if card_of(words).kind != card.kind:
        raise ProcedureError([Problem(1, 1, f"This becomes another step: {words}")])
    return words


def _taken_apart(step: Step, bare: str) -> tuple[CardKind, dict[CardField, str]]:
    match step:
        case Tell(only=Formula() as only):
            return "set", {"command": f"{step.instrument}.{step.command}", "value": only.text, "else": _else(step.otherwise)}  # fmt: skip
        case Tell():
            return "send", {"command": f"{step.instrument}.{step.command}", "values": _values(step.values), "else": _else(step.otherwise)}  # fmt: skip
        case Wait():
            return "wait", {"span": span_words(step.span)}
        case WaitUntil():
            return "wait until", {"condition": step.condition.text, "at most": span_words(step.at_most), "else": _else(step.otherwise)}  # fmt: skip
        case WaitSteady():
            return "wait until steady", {
                "channel": step.channel, "band": step.band.text, "span": span_words(step.span), "at most": span_words(step.at_most),
                "else": _else(step.otherwise),
            }  # fmt: skip
        case Ask():
            most = "" if step.at_most == ASKED else span_words(step.at_most)
            return "ask", {"text": step.words.text, "answer": step.answer, "name": step.name, "unit": step.unit, "at most": most}  # fmt: skip
        case Mark():
            return "say" if step.only_said else "mark", {"text": step.words.text}
        case Point():
            return "take point", {"text": step.words.text, "span": span_words(step.span), "else": _else(step.otherwise)}  # fmt: skip
        case Read():
            return "read", {"name": step.name, "channel": step.channel, "at most": span_words(step.at_most), "else": _else(step.otherwise)}  # fmt: skip
        case Draw():
            return "draw", {
                "text": step.words.text,
                "values": _values(step.values),
                "else": _else(step.otherwise),
            }
        case Capture():
            return "capture", {
                "channels": ", ".join(step.channels), "samples": str(step.samples), "before": str(step.before) if step.before else "",
                "at most": span_words(step.at_most), "else": _else(step.otherwise),
            }  # fmt: skip
        case ZeroIt():
            return "zero", {"channel": step.channel, "else": _else(step.otherwise)}
        case BeginRun():
            return "begin run from plan" if step.planned else "begin run", {"text": step.words.text}
        case EndRun():
            return "end run", {}
        case Let():
            return "let", {"name": step.name, "value": step.value.text}
        case CarryOut():
            return "carry out", {"text": step.words.text, "values": _values(step.values), "else": _else(step.otherwise)}  # fmt: skip
        case If():
            return "if", {"condition": step.condition.text}
        case For(name=""):
            return "repeat", {"times": str(len(step.values))}
        case For():
            values = bare.partition("=")[2]  # as they are written: a range stays one
            if step.unit:
                values = values[: values.rindex("[")]
            return "for", {"name": step.name, "values": values.strip(), "unit": step.unit}


def _values(values: tuple[tuple[str, Formula], ...]) -> str:
    return ", ".join(f"{name} = {formula.text}" for name, formula in values)


def _else(otherwise: Else) -> str:
    return "" if otherwise == "stop" else otherwise


def _put_together(kind: CardKind, fields: Mapping[CardField, str]) -> str:
    def part(name: CardField, before: str = "", after: str = "") -> str:
        value = fields.get(name, "")
        return f"{before}{value}{after}" if value else ""

    def must(name: CardField) -> str:
        if not fields.get(name):
            raise ProcedureError([Problem(1, 1, f"Fill in: {name}.")])
        return fields[name]

    text = f'"{fields.get("text", "")}"'
    tail = part("else", ", else ")
    unit = part("unit", " [", "]")
    match kind:
        case "set":
            return f"set {must('command')} to {must('value')}{tail}"
        case "send":
            return f"send {must('command')}{part('values', ' with ')}{tail}"
        case "wait":
            return f"wait {must('span')}"
        case "wait until":
            return f"wait until {must('condition')}, at most {must('at most')}{tail}"
        case "wait until steady":
            return f"wait until {must('channel')} is steady within {must('band')} for {must('span')}, at most {must('at most')}{tail}"
        case "ask":
            answer = fields.get("answer") or "yes or no"
            name = (
                {"yes or no": "", "picture": part("name", "", " ")}.get(answer)
                if answer in ("yes or no", "picture")
                else f"{must('name')} "
            )
            behind = {"text": " text", "picture": " picture", "number": unit}.get(answer, "")
            return f"ask {name}{text}{behind}{part('at most', ', at most ')}"
        case "mark" | "say" | "begin run":
            return f"{kind} {text}"
        case "begin run from plan":
            return f"begin run from plan {text}"
        case "take point":
            return f"take point {text}{part('span', ', averaging ')}{tail}"
        case "read":
            return f"read {part('name', '', ' = ')}{must('channel')}, at most {must('at most')}{tail}"
        case "draw":
            return f"draw {text} with {must('values')}{tail}"
        case "capture":
            before = part("before", ", ", " before")
            return f"capture {must('channels')}: {must('samples')} samples{before}, at most {must('at most')}{tail}"
        case "zero":
            return f"zero {must('channel')}{tail}"
        case "end run" | "else":
            return kind
        case "let":
            return f"let {must('name')} = {must('value')}"
        case "carry out":
            return f"carry out {text}{part('values', ' with ')}{tail}"
        case "if":
            return f"if {must('condition')}"
        case "for":
            return f"for {must('name')} = {must('values')}{unit}"
        case "repeat":
            return f"repeat {must('times')} times"
