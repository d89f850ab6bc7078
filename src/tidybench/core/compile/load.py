"""A set-up read and checked whole: that its patterns compile, and that its channels' fields are there."""

from typing import Any

from tidybench.core.compile.command import CommandError, compile_command
from tidybench.core.curves.gathering import gatherer_of
from tidybench.core.reading.forms import make_forms, single_forms
from tidybench.core.reading.pattern import Pattern, PatternError
from tidybench.core.reading.shadows import Shadows
from tidybench.core.setup.commands import SafePart
from tidybench.core.setup.framing import ENCODINGS
from tidybench.core.setup.setup import Setup
from tidybench.core.setup.toml import SetupError, parsed, toml_data


def load(text: str) -> Setup:
    """Read a set-up from TOML; raises SetupError with a sentence for each thing that is wrong."""
    return from_data(toml_data(text), text)


def from_data(data: dict[str, Any], text: str = "") -> Setup:
    """A set-up from plain data; raises SetupError. With the TOML text, sentences name its lines."""
    setup = parsed(data, text)
    problems = problems_of(setup)
    if problems:
        raise SetupError([f"{problem.rstrip('.')}." for problem in problems])
    return setup


def problems_of(setup: Setup) -> list[str]:
    """What keeps a set-up from being compiled: patterns that are none, channels made from nothing."""
    problems: list[str] = []
    fields: dict[str | None, set[str] | None] = {}
    words: set[tuple[str | None, str]] = set()
    for where, key, part in setup.read_parts():
        known: set[str] | None = set()
        shadows = Shadows()
        for what, one in single_forms(part):
            try:
                [form] = make_forms(one, setup.framing.encoding)
            except PatternError as error:
                problems.append(f"{where}: {what}: {error}")
                continue
            if isinstance(form, Pattern):
                problems += [f"{where}: {what}: {why}" for why in shadows.of(what, form)]
            if isinstance(form, Pattern):
                words |= {(key, name) for name in form.words}
            known = None if known is None or form.numbers is None else known | set(form.numbers)
        fields[key] = known
    if setup.modbus is not None:
        fields[None] = {register.name for register in setup.modbus.registers}
    for told in setup.command:
        try:
            compile_command(setup, told)
        except ValueError as error:
            problems.append(f"command “{told.name}”: {error}")
    for drawn in setup.curve:
        try:
            gatherer_of(setup.instrument.id, drawn, ENCODINGS[setup.framing.encoding])
        except ValueError as error:
            problems.append(f"curve “{drawn.name}”: {error}")
    if setup.safe is not None and not problems:
        problems += [f"[safe]: {why}" for why in _unsafe(setup, setup.safe)]
    if problems:
        return problems
    for channel in setup.channel:
        key = setup.query_of(channel)
        known = fields.get(key, set())
        other = channel.combine.other if channel.combine is not None else ""
        if known and other and other not in known:
            problems.append(f"channel “{channel.id}”: combine: no number is called “{other}”")
            continue
        if key not in fields and not setup.query:
            problems.append(f"channel “{channel.id}”: nothing is read yet that it could be made from")
        elif key not in fields:
            problems.append(f"channel “{channel.id}”: there is no query “{channel.query}”")
        elif (key, channel.field) in words:
            if channel.states:
                continue
            problems.append(
                f'channel “{channel.id}”: “{channel.field}” is a word, no number: give it states = ["…", "…"], the words it can be'
            )
        elif known is not None and channel.field not in known:
            has = ", ".join(sorted(known)) or "none"
            problems.append(
                f"channel “{channel.id}”: no number is called “{channel.field}” (there are: {has})"
            )
    return problems


def _unsafe(setup: Setup, safe: SafePart) -> list[str]:
    """Why the commands of a safe state cannot be sent."""
    found: list[str] = []
    for one in safe.commands:
        part = next((told for told in setup.command if told.id == one.command), None)
        if part is None:
            has = ", ".join(told.id for told in setup.command) or "none"
            found.append(f"there is no command “{one.command}” (there are: {has})")
            continue
        compiled = compile_command(setup, part)
        try:
            compiled.data(compiled.values(one.values))
        except CommandError as error:
            found.append(f"{one.command}: {error}")
    return found
