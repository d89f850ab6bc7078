"""Changing a set-up's TOML without losing its comments; new ones; copies.

A change is a plain mapping like the set-up itself: tables are merged key by key, null takes a key away, and a list
of tables of the same length is merged one by one, else replaced. Another kind of link, or of destination, replaces the whole of it.
"""

import re
from collections.abc import Collection, Mapping
from typing import Any

import tomlkit
from tomlkit.exceptions import TOMLKitError
from tomlkit.items import AoT

from tidybench.core.compile.load import load
from tidybench.core.setup.link import UNCHOSEN, SerialPart
from tidybench.core.setup.setup import Setup
from tidybench.core.setup.toml import SetupError

Changes = Mapping[str, Any]

DEEPEST = 20

WHERE = ("link", "to")
"""Tables that say where bytes go: those of another kind have other keys."""


def changed(text: str, changes: Changes) -> str:
    """The text with changes made in it. Raises SetupError where the outcome is not a set-up."""
    _can_be_written(changes)
    document = _document(text)
    _merge(document, changes)
    out = tomlkit.dumps(document)
    load(out)
    return out


def document_with(text: str, changes: Changes) -> str:
    """The text of another document with changes made in it; what it means is for the caller to check. Raises SetupError."""
    _can_be_written(changes)
    document = _document(text)
    _merge(document, changes)
    return tomlkit.dumps(document)


def _can_be_written(value: Any, where: str = "", deep: int = 0) -> None:
    """Raises SetupError where TOML has no way to write this: it has no null in a list, no number beyond 64 bits."""
    if deep > DEEPEST:
        raise SetupError([f"{where[:80]}: this is nested too deeply; at most {DEEPEST} levels can be."])
    if isinstance(value, Mapping):
        for key, item in value.items():
            _can_be_written(str(key), where, deep + 1)
            if item is not None:
                _can_be_written(item, f"{where}.{key}" if where else str(key), deep + 1)
    elif isinstance(value, list):
        for number, item in enumerate(value, 1):
            _can_be_written(item, f"{where}.{number}", deep + 1)
    elif value is None:
        raise SetupError([f"{where}: null cannot stand in a list. Leave it out."])
    elif isinstance(value, str) and any(0xD800 <= ord(c) < 0xE000 for c in value):
        raise SetupError([f"{where}: half a character stands in it. Type it again."])
    elif isinstance(value, int) and not -(2**63) <= value < 2**63:
        raise SetupError([f"{where}: {str(value)[:30]} is too large a number."])


def _document(text: str) -> tomlkit.TOMLDocument:
    try:
        return tomlkit.parse(text)
    except TOMLKitError as error:
        raise SetupError([f"This is not TOML: {error}."]) from None


def _merge(target: Any, changes: Changes) -> None:
    for key, value in changes.items():
        if value is None:
            target.pop(key, None)
        elif isinstance(value, dict):
            old = target.get(key)
            if not isinstance(old, dict):
                target[key] = tomlkit.table()
            elif (
                key in WHERE and value.get("kind") is not None and old.get("kind", "serial") != value["kind"]
            ):
                old.clear()
            _merge(target[key], value)
        elif isinstance(value, list) and all(isinstance(item, dict) for item in value) and value:
            _merge_list(target, key, value)
        elif isinstance(value, list) and not value and isinstance(target.get(key), AoT):
            target.pop(key)
        elif target.get(key) != value or isinstance(value, bool) != isinstance(target.get(key), bool):
            # An assignment keeps the comment behind the old value.
            target[key] = value


def _merge_list(target: Any, key: str, items: list[dict[str, Any]]) -> None:
    old = target.get(key)
    if isinstance(old, AoT) and len(old) == len(items):
        for table, item in zip(old, items, strict=True):
            for gone in [name for name in table if name not in item]:
                table.pop(gone)
            _merge(table, item)
        return
    tables = tomlkit.aot()
    for item in items:
        table = tomlkit.table()
        _merge(table, item)
        tables.append(table)
    if key in target:
        target.pop(key)
    target.append(key, tables)


def bare(link: Changes, name: str, taken: Collection[str]) -> str:
    """A set-up that only listens on a link: the first step with an instrument nobody knows yet."""
    _can_be_written({"link": link, "name": name})
    document = tomlkit.document()
    document["format"] = 1
    instrument = tomlkit.table()
    instrument.update({"id": free_id(name, taken), "name": name, "talks": "on its own"})
    table = tomlkit.table()
    table.update({key: value for key, value in link.items() if value is not None})
    document["instrument"] = instrument
    document["link"] = table
    framing = tomlkit.table()
    framing["terminator"] = "either"
    document["framing"] = framing
    text = tomlkit.dumps(document)
    load(text)
    return text


def copied(text: str, taken: Collection[str], taken_channels: Collection[str]) -> str:
    """A copy under another id and name, on a serial port that is not chosen yet; its channels get ids
    of their own too."""
    setup = load(text)
    name = f"{setup.instrument.name[:70]}, copy"
    channels = []
    used = set(taken_channels)
    for channel in _plain(setup)["channel"]:
        channel["id"] = free_id(channel["id"], used)
        used.add(channel["id"])
        channels.append(channel)
    key = free_id(setup.instrument.id, taken)
    changes: dict[str, Any] = {"instrument": {"id": key, "name": name}}
    if isinstance(setup.link, SerialPart):
        # Two on one port would ask each other's instrument, or wait for the same bytes.
        changes["link"] = {"port": f"{UNCHOSEN} ({key})"}
    if channels:
        changes["channel"] = channels
    return changed(text, changes)


def adapted(
    text: str, link: Changes, name: str, taken: Collection[str], taken_channels: Collection[str]
) -> str:
    """Another instrument like this set-up, on a link of its own, under ids of its own. Raises SetupError.

    What the link does not say (its kind apart) stays as the set-up has it.
    """
    made = copied(text, taken, taken_channels)
    given = {key: value for key, value in link.items() if value is not None}
    return changed(made, {"instrument": {"id": free_id(name, taken), "name": name}, "link": given})


def _plain(setup: Setup) -> dict[str, Any]:
    return setup.model_dump(exclude_unset=True) | {
        "channel": [channel.model_dump(exclude_unset=True) for channel in setup.channel]
    }


def free_id(name: str, taken: Collection[str]) -> str:
    """An id made from a name that nobody has yet."""
    base = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:50] or "instrument"
    number = 1
    while (found := base if number == 1 else f"{base}-{number}") in taken:
        number += 1
    return found
