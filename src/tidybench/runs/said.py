"""What is said of a run, corrected after its end: in `later/said.jsonl`, a line a change, which is only ever appended to. What was sealed stays as it is."""

import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated

from pydantic import BaseModel, Field, ValidationError

from tidybench.core.setup.part import Label
from tidybench.core.values.exact import Exact
from tidybench.core.values.mark import has_controls
from tidybench.runs.later_lines import append_line, read_lines
from tidybench.runs.run_state import RunState, read_state

FILE = "said.jsonl"

_writing = threading.Lock()

Short = Annotated[str, Field(max_length=120)]


class Said(Exact):
    """What a person says of a run: what it is called, of what, by whom, for which order, in which words; `fields`: the shop's own, by name."""

    name: Short
    item: Short = ""
    operator: Short = ""
    order: Short = ""
    notes: Annotated[str, Field(max_length=4000)] = ""
    fields: Annotated[dict[Label, Annotated[str, Field(max_length=400)]], Field(max_length=40)] = {}


class SaidChange(BaseModel):
    """What is said of a run from `written_at` on (microseconds since 1970 UTC), who changed it and why; and what stood there before."""

    said: Said
    before: Said
    by: Short = ""
    why: Annotated[str, Field(max_length=500)] = ""
    written_at: int


class SaidError(ValueError):
    """Why nothing can be corrected, in a sentence."""


class SaidConflict(SaidError):
    """Somebody else corrected it meanwhile."""


def said_first(state: RunState) -> Said:
    """What was said of a run while it was logged."""
    return Said.model_construct(**{name: getattr(state, name) for name in Said.model_fields})


def said_changes(folder: Path) -> Iterator[SaidChange]:
    """The corrections, in order. One that is torn is left out. Raises OSError."""
    yield from read_lines(folder, FILE, SaidChange)


def said_of(folder: Path, state: RunState) -> Said:
    """What is said of a run now. Raises OSError."""
    said = said_first(state)
    for change in said_changes(folder):
        said = change.said
    return said


def corrected(folder: Path, state: RunState) -> RunState:
    """The state of a run with what is said of it now. Raises OSError."""
    said = said_of(folder, state)
    return state.model_copy(update={name: getattr(said, name) for name in Said.model_fields})


def correct(folder: Path, said: Said, before: Said, by: str, why: str, now: int) -> RunState:
    """Say something else of a run that has ended; `before`: what is thought to be said of it. Any thread. Gives its state with that. Raises SaidError, OSError,
    ValueError."""
    with _writing:
        state = read_state(folder)
        if state.status == "logging":
            raise SaidError("The run goes on. Correct it when it has ended.")
        stands = said_of(folder, state)
        if stands != before:
            others = [
                f"{words} is “{now[:60]}” now" if now else f"{words} is empty now"
                for words, _, now in _differing(before, stands)
            ]
            raise SaidConflict(
                f"It was corrected meanwhile: {', '.join(others) or 'fields of its own'}. Look at it again."
            )
        said = _checked(said, by, why)
        if said == stands:
            raise SaidError("Nothing is different: there is nothing to correct.")
        try:
            change = SaidChange(said=said, before=stands.model_dump(), by=by, why=why, written_at=now)  # type: ignore[arg-type]
        except ValidationError as error:  # what stands is of an older version, with other bounds
            raise SaidError(f"It cannot be corrected: {error.errors()[0]['msg']}.") from None
        append_line(folder, FILE, change)
        return corrected(folder, state)


def _checked(said: Said, by: str, why: str) -> Said:
    lines = {name: getattr(said, name).strip() for name in ("name", "item", "operator", "order")}
    if any(map(has_controls, [*lines.values(), by, why])):
        raise SaidError("There is a control character in it. Remove it.")
    if not lines["name"]:
        raise SaidError("A run has a name: give it one.")
    return said.model_copy(update=lines)


_WORDS = {
    "name": "Name",
    "item": "Test item",
    "operator": "Operator",
    "order": "Order number",
    "notes": "Notes",
}


def differences(change: SaidChange) -> list[tuple[str, str, str]]:
    """What a change changed: what it is called, what stood there, what stands there now ("" for nothing)."""
    return _differing(change.before, change.said)


def _differing(before: Said, after: Said) -> list[tuple[str, str, str]]:
    pairs = [(words, getattr(before, name), getattr(after, name)) for name, words in _WORDS.items()]
    keys = dict.fromkeys([*before.fields, *after.fields])
    pairs += [(key, before.fields.get(key, ""), after.fields.get(key, "")) for key in keys]
    return [one for one in pairs if one[1] != one[2]]


def searched_text(state: RunState) -> str:
    """All that is said of a run, and what its channels and instruments are called: what it is found by."""
    said = [state.name, state.item, state.operator, state.order, state.notes]
    said += [f"{name} {text}" for name, text in state.fields.items()]
    said += dict.fromkeys(channel.name for channel in state.channels)
    said += dict.fromkeys(channel.instrument_name for channel in state.channels)
    return " ".join(one for one in said if one)
