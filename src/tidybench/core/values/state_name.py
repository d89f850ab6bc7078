"""Values that are states: a place in a list of words."""

from collections.abc import Sequence


def state_name(states: Sequence[str], value: float) -> str | None:
    """The word of a state, `value` being its place from 0; None where it has none."""
    place = int(value) if value == value and abs(value) < 1e9 else -1
    return states[place] if 0 <= place < len(states) and place == value else None
