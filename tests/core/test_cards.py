"""Steps as cards with fields, and back to a line of the text."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.procedure.cards import Card, CardField, CardKind, card_of, words_of
from tidybench.core.procedure.spans import span_words
from tidybench.core.procedure.steps import ProcedureError
from tidybench.core.procedure.text import parse

LINES = {
    "set kiln.target to 2 * opening": ("set", {"command": "kiln.target", "value": "2 * opening", "else": ""}),
    "set kiln.target to 60 [%], else ask": (
        "set",
        {"command": "kiln.target", "value": "60 [%]", "else": "ask"},
    ),
    'send kiln.label with text = "a, b", n = 3, else go on': (
        "send",
        {"command": "kiln.label", "values": 'text = "a, b", n = 3', "else": "go on"},
    ),
    "send kiln.mode": ("send", {"command": "kiln.mode", "values": "", "else": ""}),
    "wait 1.5 s": ("wait", {"span": "1.5 s"}),
    'wait until "loop-flow" > 5 [L/min], at most 2 min': (
        "wait until",
        {"condition": '"loop-flow" > 5 [L/min]', "at most": "2 min", "else": ""},
    ),
    "wait until flow is steady within 4 [L/min] for 5 s, at most 2 min, else go on": (
        "wait until steady",
        {"channel": "flow", "band": "4 [L/min]", "span": "5 s", "at most": "2 min", "else": "go on"},
    ),
    'ask "Primed # or not?"': (
        "ask",
        {"text": "Primed # or not?", "answer": "yes or no", "name": "", "unit": "", "at most": ""},
    ),
    'ask level "Level?" [mm], at most 1 h': (
        "ask",
        {"text": "Level?", "answer": "number", "name": "level", "unit": "mm", "at most": "1 h"},
    ),
    'ask serial "Serial?" text': (
        "ask",
        {"text": "Serial?", "answer": "text", "name": "serial", "unit": "", "at most": ""},
    ),
    'ask plate "Nameplate" picture': (
        "ask",
        {"text": "Nameplate", "answer": "picture", "name": "plate", "unit": "", "at most": ""},
    ),
    'ask "Nameplate" picture, at most 1 h': (
        "ask",
        {"text": "Nameplate", "answer": "picture", "name": "", "unit": "", "at most": "1 h"},
    ),
    'mark "done"': ("mark", {"text": "done"}),
    'say "valve {opening}"': ("say", {"text": "valve {opening}"}),
    'take point "valve {opening}", averaging 5 s': (
        "take point",
        {"text": "valve {opening}", "span": "5 s", "else": ""},
    ),
    "read length = caliper, at most 30 s, else ask": (
        "read",
        {"name": "length", "channel": "caliper", "at most": "30 s", "else": "ask"},
    ),
    "read caliper, at most 10 min": (
        "read",
        {"name": "", "channel": "caliper", "at most": "10 min", "else": ""},
    ),
    'draw "Valve" with Opening = opening, Flow = "loop-flow", else go on': (
        "draw",
        {"text": "Valve", "values": 'Opening = opening, Flow = "loop-flow"', "else": "go on"},
    ),
    "capture vibration, speed: 1000 samples, 100 before, at most 30 s": (
        "capture",
        {"channels": "vibration, speed", "samples": "1000", "before": "100", "at most": "30 s", "else": ""},
    ),
    "zero discharge, else ask": ("zero", {"channel": "discharge", "else": "ask"}),
    'begin run "Acceptance"': ("begin run", {"text": "Acceptance"}),
    'begin run from plan "Acceptance"': ("begin run from plan", {"text": "Acceptance"}),
    "end run": ("end run", {}),
    "let speed = 1450 [rpm]": ("let", {"name": "speed", "value": "1450 [rpm]"}),
    'carry out "Bleed" with far = 60 [%], else go on': (
        "carry out",
        {"text": "Bleed", "values": "far = 60 [%]", "else": "go on"},
    ),
    "if flow > 5 [L/min]": ("if", {"condition": "flow > 5 [L/min]"}),
    "else": ("else", {}),
    "for opening = 0 to 100 step 0.5 [%]": (
        "for",
        {"name": "opening", "values": "0 to 100 step 0.5", "unit": "%"},
    ),
    "for n = 1, 2, 3": ("for", {"name": "n", "values": "1, 2, 3", "unit": ""}),
    "repeat 5 times": ("repeat", {"times": "5"}),
}


@pytest.mark.parametrize("line", LINES)
def test_a_line_is_a_card_and_the_card_that_line_again(line: str) -> None:
    card = card_of(f"  {line}")
    assert (card.kind, dict(card.fields)) == LINES[line]
    assert words_of(card) == line


def test_every_kind_is_there() -> None:
    assert {kind for kind, _ in LINES.values()} == set(CardKind.__args__)  # type: ignore[attr-defined]


@pytest.mark.parametrize(
    ("kind", "fields", "what"),
    [
        ("wait", {"span": "5 sec"}, "“5 sec” is no time: write it as 5 s, 200 ms, 2 min or 1 h."),
        ("wait", {}, "Fill in: span."),
        ("say", {"text": 'a "b"'}, "text: a text has no quotes in it."),
        ("say", {"text": "a\nend run"}, "text: it stands in one line."),
        ("let", {"name": "a", "value": "5 # no"}, "value: a # begins a comment."),
        ("repeat", {"times": "0"}, "It is repeated 1 to 10,000 times."),
        ("ask", {"text": "Level?", "answer": "number"}, "Fill in: name."),
        ("set", {"command": "kiln", "value": "5"}, "An instrument and its command are wanted here, by their ids: valve-positioner.opening"),
        ("wait until", {"condition": "flow is steady within 5 for 2 s", "at most": "5 s"}, "This becomes another step: wait until flow is steady within 5 for 2 s, at most 5 s"),
    ],
)  # fmt: skip
def test_a_field_that_is_no_good_is_said(kind: CardKind, fields: dict[CardField, str], what: str) -> None:
    with pytest.raises(ProcedureError) as error:
        words_of(Card(kind, fields))
    assert error.value.problems[0].what == what


def test_a_line_that_is_no_step_is_said_with_its_column() -> None:
    with pytest.raises(ProcedureError) as error:
        card_of("set kiln.target at 5")
    assert [(one.line, one.column) for one in error.value.problems] == [(1, 5)]


@given(
    st.sampled_from(sorted(set(CardKind.__args__))),  # type: ignore[attr-defined]
    st.dictionaries(
        st.sampled_from(sorted(set(CardField.__args__))),  # type: ignore[attr-defined]
        st.one_of(st.sampled_from(["a.b", "5 s", "1", "a", "go on", "text", "number", "a = 1"]), st.text(max_size=12)),
    ),
)  # fmt: skip
def test_whatever_is_filled_in_becomes_one_line_that_is_a_step_or_is_refused(
    kind: CardKind, fields: dict[CardField, str]
) -> None:
    try:
        words = words_of(Card(kind, fields))
    except ProcedureError as error:
        assert all(one.what for one in error.problems)
        return
    assert len(words.splitlines()) == 1
    again = card_of(words)
    assert again.kind == kind
    assert words_of(again) == words_of(card_of(words_of(again)))
    if kind not in ("else", "if", "for", "repeat"):
        assert len(parse(f"procedure x\n  {words}\n").steps) == 1


@given(st.integers(1, 7 * 86_400_000_000))
def test_a_time_is_written_as_it_is_read(us: int) -> None:
    [step] = parse(f"procedure x\n  wait {span_words(us)}\n").steps
    assert step.span == us  # type: ignore[union-attr]
