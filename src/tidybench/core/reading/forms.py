"""The forms that a set-up's queries and listeners are read by."""

from collections.abc import Iterable

from tidybench.core.reading.columns import ColumnsForm
from tidybench.core.reading.form import ErrorReply, Form, Read
from tidybench.core.reading.json_lines import JsonForm
from tidybench.core.reading.nmea import NmeaForm
from tidybench.core.reading.pairs import PairsForm
from tidybench.core.reading.pattern import Pattern, compile_pattern
from tidybench.core.reading.scpi import ScpiForm
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.framing import ENCODINGS
from tidybench.core.setup.readers import (
    BlockPart,
    ColumnsPart,
    JsonPart,
    NmeaPart,
    PairsPart,
    ReaderPart,
    ScpiPart,
)
from tidybench.core.setup.talk import ListenPart, QueryPart


class ErrorForm:
    """A pattern of the instrument's own error reply."""

    numbers: tuple[str, ...] = ()

    def __init__(self, pattern: Pattern) -> None:
        self._pattern = pattern

    def read(self, message: bytes) -> Read:
        got = self._pattern.read(message)
        return got if isinstance(got, Stop) else ErrorReply(message.decode("latin-1").strip())


def make_forms(part: QueryPart | ListenPart, encoding: str, wanted: Iterable[str] = ()) -> list[Form]:
    """The reader first, then the patterns in order, then the error replies; raises PatternError.

    `encoding`: as a set-up names it. `wanted`: the fields that feed channels.
    """
    codec = ENCODINGS[encoding]
    forms: list[Form] = []
    if part.reader is not None:
        forms.append(_reader(part.reader, codec, frozenset(wanted)))
    forms += [compile_pattern(source, codec) for source in part.patterns]
    forms += [ErrorForm(compile_pattern(source, codec)) for source in part.errors]
    return forms


def single_forms(part: QueryPart | ListenPart) -> list[tuple[str, QueryPart | ListenPart]]:
    """The same part once for each form it has, with what that form is called in a sentence."""
    nothing: dict[str, object] = {"reader": None, "patterns": [], "errors": []}
    found: list[tuple[str, QueryPart | ListenPart]] = []
    if part.reader is not None:
        found.append(("reader", part.model_copy(update={**nothing, "reader": part.reader})))
    for number, source in enumerate(part.patterns, 1):
        found.append((f"pattern {number}", part.model_copy(update={**nothing, "patterns": [source]})))
    for number, source in enumerate(part.errors, 1):
        found.append((f"error pattern {number}", part.model_copy(update={**nothing, "errors": [source]})))
    return found


def _reader(part: ReaderPart, codec: str, wanted: frozenset[str]) -> Form:
    text = "latin-1" if codec == "ascii" else codec
    if isinstance(part, ColumnsPart):
        return ColumnsForm(part, wanted, text)
    if isinstance(part, PairsPart):
        return PairsForm(part, wanted, text)
    if isinstance(part, NmeaPart):
        return NmeaForm(part, wanted)
    if isinstance(part, ScpiPart):
        return ScpiForm(part)
    if isinstance(part, BlockPart):
        from tidybench.core.reading.block import BlockForm  # it needs NumPy, which is slow to come

        return BlockForm(part)
    assert isinstance(part, JsonPart)
    return JsonForm(wanted)
