"""A command of a set-up, compiled: typed arguments become bytes, and lines that come become what they mean.

No argument can let a second command through: texts have no control characters, no semicolon (IEEE 488.2, 7.4.1: it parts the
units of a message), none of the terminator's characters, and no quotation mark that stands in the command itself.
"""

import struct
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

from tidybench.core.curves.piece import CurveEnded
from tidybench.core.framing import make_check
from tidybench.core.framing.check import Checker
from tidybench.core.framing.signing import signed
from tidybench.core.protocols.modbus import frame
from tidybench.core.reading.element import Element, Value
from tidybench.core.reading.form import ErrorReply
from tidybench.core.reading.pattern import Pattern, PatternError, compile_pattern
from tidybench.core.reading.register_writing import write_pdu
from tidybench.core.reading.registers import RegistersForm, Request, requests
from tidybench.core.reading.stop import Stop
from tidybench.core.setup import Setup
from tidybench.core.setup.commands import ArgumentPart, InstrumentCommandPart
from tidybench.core.setup.framing import ENCODINGS
from tidybench.core.setup.modbus import RegisterPart
from tidybench.core.values.outcome import Outcome

REGISTER = "value"
"""The argument of a command that writes a register."""

CLOSE = 1e-6
"""Share by which a read-back may differ: a device may keep fewer digits."""

NONE = ArgumentPart(field=REGISTER)


class CommandError(ValueError):
    """A command that cannot be given: in a sentence, what is wrong and with which argument."""


@dataclass(slots=True, frozen=True)
class Meaning:
    """What a line means: an outcome, in words, and the fields that were read. `found` is whether it is what was waited for."""

    found: bool
    outcome: Outcome
    words: str
    fields: dict[str, float | str] = field(default_factory=dict)


@dataclass(slots=True, frozen=True)
class CompiledCommand:
    """One command of one instrument. Pure: any thread may use it."""

    setup: Setup
    part: InstrumentCommandPart
    pattern: Pattern | None  # None: a register is written
    patterns: tuple[Pattern, ...]
    errors: tuple[Pattern, ...]
    check: Checker | None

    @property
    def arguments(self) -> list[ArgumentPart]:
        """All that can be typed, in the order of what is sent; a field of which the set-up says nothing else is there too."""
        told = {one.field: one for one in self.part.argument}
        return [told.get(name, NONE.model_copy(update={"field": name})) for name in self._fields]

    @property
    def _fields(self) -> list[str]:
        return [one.name for one in self.pattern.fields] if self.pattern is not None else [REGISTER]

    def values(self, given: Mapping[str, float | str]) -> dict[str, float | str]:
        """What is sent in each field: as given, else the default. Raises CommandError."""
        unknown = sorted(set(given) - set(self._fields))
        if unknown:
            raise CommandError(f"“{self.part.name}” has no argument “{unknown[0]}”.")
        found: dict[str, float | str] = {}
        for one in self.arguments:
            value = given.get(one.field, one.default)
            if value is None:
                raise CommandError(f"Give a value for {one.title}.")
            if why := one.why_not(value):
                raise CommandError(f"{why}.")
            found[one.field] = value
        return found

    def data(self, values: Mapping[str, float | str]) -> bytes:
        """The bytes that are sent. Raises CommandError."""
        if self.pattern is None:
            return self._register(values[REGISTER])
        for element in self.pattern.fields:
            value = values[element.name]
            if not element.is_number:
                self._check_text(element, str(value))
            elif element.kind == "number" and element.width and not isinstance(value, str):
                self._check_digits(element, value)
        try:
            data = self.pattern.write(values)
            return signed(self.setup.framing, data) if self.part.with_check else data
        except ValueError as error:
            raise CommandError(str(error)) from None

    def _check_digits(self, element: Element, value: float) -> None:
        """What goes out is what was typed, and no rounded number."""
        if round(value, element.decimals) != value:
            title = next(one.title for one in self.arguments if one.field == element.name)
            digits = "1 digit" if element.decimals == 1 else f"{element.decimals} digits"
            raise CommandError(f"{title} is {value:.12g}: it is sent with {digits} behind the point.")

    def _check_text(self, element: Element, text: str) -> None:
        assert self.pattern is not None
        own = b"".join(one.text for one in self.pattern.elements if one.kind == "literal").decode("latin-1")
        ending = own[len(own.rstrip("\r\n\x03\x04\x00;")) :] + self.setup.framing.terminator.replace("either", "\r\n")  # fmt: skip
        if self.setup.framing.kind == "between marks":
            ending += self.setup.framing.start + self.setup.framing.end
        title = next(one.title for one in self.arguments if one.field == element.name)
        for char in text:
            if char in ";" or char in ending or ord(char) < 0x20 or ord(char) == 0x7F:
                shown = char if char.isprintable() else f"the character {ord(char):02X}"
                raise CommandError(f"{title} may not have {shown}: a second command could begin behind it.")
            if char in "\"'" and char in own:
                raise CommandError(
                    f"{title} may not have {char}: the text would end there, and a command could follow."
                )

    def _register(self, value: float | str) -> bytes:
        modbus, one = self.setup.modbus, self.register
        assert modbus is not None
        assert one is not None
        if isinstance(value, str):
            raise CommandError(f"{one.name} wants a number; “{value}” is none.")
        try:
            return frame(self.setup.framing.kind, modbus.unit, write_pdu(one, value))
        except ValueError as error:
            raise CommandError(str(error)) from None

    def meaning(self, sent: bytes, line: bytes) -> Meaning:
        """What a line means that came after `sent`."""
        if self.pattern is None:
            return self._written(sent, line)
        body = self.check(line) if self.check is not None else line
        said = line.decode("latin-1").strip()
        if body is not None:
            for pattern in self.patterns:
                got = pattern.read(body)
                if not isinstance(got, Stop):
                    fields = {name: value for name, (quality, value) in got.items() if quality.measured}
                    return Meaning(True, "answered", f"answered “{said}”", fields)
            if any(not isinstance(pattern.read(body), Stop) for pattern in self.errors):
                return Meaning(True, "refused", f"refused with “{said}”")
        if self.patterns:
            return Meaning(
                False, "not understood", f"answered “{said}”, which is none of the answers it can have"
            )
        return Meaning(False, "sent", f"sent; “{said}” came")

    def _written(self, sent: bytes, line: bytes) -> Meaning:
        """A reply to writing (MODBUS Application Protocol 1.1b3, 6.5, 6.6, 6.12): the head of the request again, or a refusal."""
        assert self.setup.modbus is not None
        unit = self.setup.modbus.unit
        body = self.check(line) if self.check is not None else line
        asked = self.check(sent) if self.check is not None else sent
        if body is None or asked is None or body[:1] != bytes([unit]):
            return Meaning(False, "not understood", f"{line.hex(' ')} came, which is no reply to it")
        refused = RegistersForm(unit, Request(asked[1], 0, 1, ())).read(body)
        if isinstance(refused, ErrorReply):
            return Meaning(True, "refused", f"refused: {refused.text}")
        if body[:6] != asked[:6]:
            return Meaning(False, "not understood", f"{line.hex(' ')} came, which is no reply to it")
        return Meaning(True, "answered", "written, and the device says so")

    @property
    def register(self) -> RegisterPart | None:
        """The register that is written, if one is."""
        modbus = self.setup.modbus
        if self.pattern is not None or modbus is None:
            return None
        return next(r for r in modbus.registers if r.name == self.part.writes)

    @property
    def reads_it_back(self) -> bool:
        """Whether a register is written, and read afterwards."""
        return self.pattern is None and self.part.read_back

    def asks_back(self) -> bytes:
        """What reads the register that was written (MODBUS Application Protocol 1.1b3, 6.1 and 6.3)."""
        modbus, one = self.setup.modbus, self.register
        assert modbus is not None
        assert one is not None
        [request] = requests([one], 0)
        pdu = struct.pack(">BHH", request.function, request.first, request.count)
        return frame(self.setup.framing.kind, modbus.unit, pdu)

    def reads_back(self, line: bytes) -> float | None:
        """What the register holds by this line; None where it does not say."""
        modbus, one = self.setup.modbus, self.register
        assert modbus is not None
        assert one is not None
        body = self.check(line) if self.check is not None else line
        if body is None:
            return None
        [request] = requests([one], 0)
        got = RegistersForm(modbus.unit, request).read(body)
        if isinstance(got, Stop | ErrorReply):
            return None
        quality, value = got[one.name]
        return value if quality.measured and not isinstance(value, str) else None

    def written_and_read(self, value: float, lines: Sequence[bytes]) -> Meaning:
        """What came of writing `value`, which the device has confirmed: `lines` came when it was read back."""
        found = next((back for line in lines if (back := self.reads_back(line)) is not None), None)
        if found is None:
            return Meaning(True, "answered", "written, and the device says so; it could not be read back")
        fields: dict[str, float | str] = {REGISTER: found}
        if abs(found - value) > CLOSE * max(1.0, abs(value)):
            return Meaning(True, "refused", f"written as {value:.12g}, but it reads back as {found:.12g}", fields)  # fmt: skip
        return Meaning(True, "answered", f"written, and reads back as {found:.12g}", fields)

    @property
    def is_answered(self) -> bool:
        """Whether something must come back."""
        return bool(self.patterns) or self.pattern is None or bool(self.part.starts)

    def _drew(self, ended: CurveEnded) -> Meaning:
        name = next(one.name for one in self.setup.curve if one.id == ended.curve)
        rows = "1 row" if ended.rows == 1 else f"{ended.rows} rows"
        if ended.state == "complete":
            return Meaning(True, "answered", f"{name}: {rows}", {"rows": float(ended.rows)})
        return Meaning(
            True, "not understood", f"{name} is not whole: {ended.why}", {"rows": float(ended.rows)}
        )

    def came_to(self, sent: bytes, lines: Sequence[bytes], drawn: CurveEnded | None = None) -> Meaning:
        """What all lines mean that came after `sent`: the first that was waited for decides, else the newest that came. `drawn`: the table
        that came, if one did."""
        if drawn is not None:
            return self._drew(drawn)
        meanings = [
            self.meaning(sent, line) for line in lines if not (self.pattern is not None and line == sent)
        ]
        found = next((one for one in meanings if one.found), None)
        if found is not None:
            return found
        if meanings:
            return meanings[-1]
        if self.is_answered:
            return Meaning(False, "no answer", f"no answer within {self.part.give_up_after_s:g} s: it is not known whether it was done")  # fmt: skip
        return Meaning(False, "sent", "sent")


@lru_cache(1024)
def _compiled(source: str, encoding: str) -> Pattern:
    return compile_pattern(source, encoding)


def compile_command(setup: Setup, part: InstrumentCommandPart) -> CompiledCommand:
    """Compile a command of a set-up. Raises PatternError, and ValueError with a sentence for what does not fit together."""
    codec = ENCODINGS[setup.framing.encoding]
    errors = [*part.errors, *(source for query in setup.query for source in query.errors)]
    if setup.listen is not None:
        errors += setup.listen.errors
    if part.writes:
        registers = setup.modbus.registers if setup.modbus is not None else []
        one = next((r for r in registers if r.name == part.writes), None)
        if one is None:
            raise ValueError(f"the register map has no register “{part.writes}”")
        if not one.writable:
            raise ValueError(
                f"{one.name} is not marked as one that may be written: mark it in the register map first"
            )
        strange = [a.field for a in part.argument if a.field != REGISTER]
        if strange:
            raise ValueError(f"what is written into a register is called “{REGISTER}”, not “{strange[0]}”")
        return CompiledCommand(setup, part, None, (), (), make_check(setup.framing))
    pattern = _compiled(part.send, codec)
    if pattern.counted is not None:
        raise ValueError("a list whose count is sent with it cannot be typed: write its members one by one")
    compiled = CompiledCommand(
        setup, part, pattern,
        tuple(_compiled(source, codec) for source in part.patterns),
        tuple(_compiled(source, codec) for source in dict.fromkeys(errors)),
        make_check(setup.framing),
    )  # fmt: skip
    _check_arguments(compiled, pattern)
    if part.with_check:
        signed(setup.framing, pattern.write({one.name: _harmless(one, []) for one in pattern.fields}))
    return compiled


def _check_arguments(compiled: CompiledCommand, pattern: Pattern) -> None:
    """Every argument is a field, and what it can be can be sent in it. Raises ValueError."""
    fields = {one.name: one for one in pattern.fields}
    tried: dict[str, list[Value]] = {}
    for part in compiled.part.argument:
        element = fields.get(part.field)
        if element is None:
            has = ", ".join(fields) or "none"
            raise ValueError(f"no field of what is sent is called “{part.field}” (there are: {has})")
        if not element.is_number and (part.lowest is not None or part.highest is not None):
            raise ValueError(f"{part.title} is a text: it has no lowest and highest value")
        if element.is_number and any(isinstance(one, str) for one in part.choices):
            raise ValueError(f"{part.title} is a number: its choices must be numbers too")
        told = [part.default, part.lowest, part.highest, *part.choices]
        tried[part.field] = [one for one in told if one is not None]
    for name, values in tried.items():
        for value in values:
            given: dict[str, float | str] = {
                other: _harmless(fields[other], tried.get(other, [])) for other in fields
            }
            try:
                compiled.data(given | {name: value})
            except CommandError as error:
                if name in given and _blames(str(error), compiled, name):
                    raise ValueError(str(error).rstrip(".")) from None


def _blames(sentence: str, compiled: CompiledCommand, name: str) -> bool:
    titles = {one.field: one.title for one in compiled.arguments}
    return name in sentence or titles[name] in sentence


def _harmless(element: Element, known: list[Value]) -> Value:
    if known:
        return known[0]
    if element.choices:
        return element.choices[0].decode("latin-1")
    return 0.0 if element.is_number else "0" * (element.width or 1)


__all__ = ["CommandError", "CompiledCommand", "Meaning", "PatternError", "compile_command"]
