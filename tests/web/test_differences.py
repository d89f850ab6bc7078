"""Changes of the status: applied to the old one they give the new one."""

import copy
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from tidybench.web.differences import Change, calmed, differences

JSON = st.recursive(
    st.none() | st.integers(-3, 3) | st.sampled_from("ab"),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from("xyz"), inner, max_size=3),
    max_leaves=12,
)


def applied(value: Any, changes: list[Change]) -> Any:
    """As the page does it (live/changes.ts)."""
    whole = {"": copy.deepcopy(value)}
    for path, new in changes:
        at: Any = whole
        keys: list[Any] = ["", *path]
        for key in keys[:-1]:
            at = at[key]
        at[keys[-1]] = new
    return whole[""]


@given(JSON, JSON)
def test_they_make_the_new_one_of_the_old_one(old: Any, new: Any) -> None:
    assert applied(old, differences(old, new)) == new


def test_only_what_changed_is_told() -> None:
    old = {"at": 1, "list": [{"id": "a", "n": 1}, {"id": "b", "n": 2}]}
    new = {"at": 2, "list": [{"id": "a", "n": 1}, {"id": "b", "n": 3}]}
    assert differences(old, new) == [(["at"], 2), (["list", 1, "n"], 3)]
    assert differences(old, copy.deepcopy(old)) == []


def test_counters_wait_for_their_beat_and_what_stops_does_not() -> None:
    def status(figures: str, state: str = "passing", rate: float = 5.0) -> dict[str, Any]:
        stage = {
            "name": "Bytes",
            "state": state,
            "words": "",
            "offer": "",
            "sentence": figures,
            "figures": figures,
        }
        return {"instruments": [{"id": "a", "messages_per_s": rate, "answer_ms": 1.0, "stages": [stage]}]}

    old = status("10 B/s")
    assert calmed(old, status("11 B/s", rate=5.1)) == old
    assert calmed(old, status("11 B/s", "stopped")) == status("11 B/s", "stopped")
    assert calmed({"instruments": []}, old) == old
