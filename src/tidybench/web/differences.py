"""What has changed between two statuses: pairs of a path and the value that stands there now."""

from typing import Any

Change = tuple[list[str | int], Any]

SLOW = frozenset({"figures", "messages_per_s", "answer_ms"})
"""Counters and rates of an instrument: an eye reads them once a second at most."""


def differences(old: Any, new: Any) -> list[Change]:
    """The changes that make `new` of `old`, both as JSON. Lists of another length are given whole."""
    found: list[Change] = []
    _differ(old, new, [], found)
    return found


def _differ(old: Any, new: Any, path: list[str | int], found: list[Change]) -> None:
    if old == new and type(old) is type(new):
        return
    if isinstance(old, dict) and isinstance(new, dict) and old.keys() == new.keys():
        for key, value in new.items():
            _differ(old[key], value, [*path, key], found)
    elif isinstance(old, list) and isinstance(new, list) and len(old) == len(new):
        for place, value in enumerate(new):
            _differ(old[place], value, [*path, place], found)
    else:
        found.append((path, new))


def calmed(old: dict[str, Any], new: dict[str, Any]) -> dict[str, Any]:
    """The new status with the old counters of instruments of which nothing else has changed."""
    before = {one["id"]: one for one in old.get("instruments", [])}
    return {**new, "instruments": [_calm(before.get(one["id"]), one) for one in new.get("instruments", [])]}


def _calm(old: dict[str, Any] | None, new: dict[str, Any]) -> dict[str, Any]:
    return old if old is not None and _without_counters(old) == _without_counters(new) else new


def _without_counters(instrument: dict[str, Any]) -> dict[str, Any]:
    # A sentence has ages and rates in it too: its state and words are what a change is told by.
    plain = {key: value for key, value in instrument.items() if key not in SLOW and key != "stages"}
    plain["stages"] = [
        (stage["name"], stage["state"], stage["words"], stage["offer"]) for stage in instrument["stages"]
    ]
    return plain
