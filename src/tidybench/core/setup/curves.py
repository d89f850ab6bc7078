"""What an instrument sends as a table: a sweep, a characteristic, a waveform as text."""

from typing import Annotated, Literal

from pydantic import Field, StrictBool, model_validator

from tidybench.core.setup.part import Identifier, Label, Part

AxisScale = Literal["linear", "logarithmic"]

Words = Annotated[str, Field(max_length=80, pattern=r"^[^\x00-\x1f\x7f]*$")]
Short = Annotated[str, Field(max_length=20, pattern=r"^[^\x00-\x1f\x7f]*$")]
Source = Annotated[str, Field(max_length=1000)]


class AxisPart(Part):
    """What a curve is drawn over, or one of the quantities that are drawn: a field of its rows, with name, unit and scale."""

    field: Annotated[str, Field(min_length=1, max_length=60)]
    name: Words = ""
    unit: Short = ""
    scale: AxisScale = "linear"

    @property
    def title(self) -> str:
        """What it is called on the screen."""
        return self.name or self.field


class QuantityPart(AxisPart):
    """A quantity of a curve. `unwrap`: an angle that jumps by a whole turn is drawn without its jumps."""

    unwrap: StrictBool = False


Scaled = Annotated[float, Field(allow_inf_nan=False)] | Annotated[str, Field(min_length=1, max_length=60)]
"""A number, or the field of the preamble that has it."""


class BlockAxisPart(Part):
    """The numbers of an IEEE 488.2 block (8.7.9, 8.7.10) as a curve: the nth stands at `begin` + n `step` (n from 0), and is
    (number - `reference`) x `scale` + `offset`. What stands in `preamble`, a message before the block or the part of its message before “#”, can be named for
    each of them; `points`: for how many numbers there must be."""

    numbers: Literal["int8", "uint8", "int16", "uint16", "int32", "uint32", "float32", "float64", "text"]
    order: Literal["high first", "low first"] = "high first"
    preamble: Source = ""
    begin: Scaled = 0.0
    step: Scaled = 1.0
    scale: Scaled = 1.0
    offset: Scaled = 0.0
    reference: Scaled = 0.0
    points: Annotated[str, Field(max_length=60)] = ""

    @property
    def names(self) -> list[str]:
        """The fields of the preamble that it needs."""
        told = (self.begin, self.step, self.scale, self.offset, self.reference, self.points)
        return [one for one in told if isinstance(one, str) and one]


class CurvePart(Part):
    """A table that comes as messages, a row each; or a `block` of numbers in one message, whose x has the field `n`, and its y the field `raw`.

    `begins`: the message before the first row; without it the first row begins the table. `progress`: how messages read that say how far it is
    (their first number, in percent). It ends with a message that reads as `ends`, or after so many `rows`; without either by
    silence of `silence_s`, which else gives it up. `most`: rows from which on it is given up.
    """

    id: Identifier
    name: Label
    begins: Source = ""
    progress: Source = ""
    row: Source = ""
    block: BlockAxisPart | None = None
    ends: Source = ""
    rows: Annotated[int, Field(ge=0, le=1_000_000)] = 0
    silence_s: Annotated[float, Field(ge=0.05, le=3600)] = 5.0
    most: Annotated[int, Field(ge=1, le=1_000_000)] = 100_000
    x: AxisPart
    y: Annotated[list[QuantityPart], Field(min_length=1, max_length=20)]

    @property
    def axes(self) -> list[AxisPart]:
        """Its columns: what it is drawn over, and its quantities."""
        return [self.x, *self.y]

    @model_validator(mode="after")
    def _fits(self) -> "CurvePart":
        if bool(self.row) == (self.block is not None):
            raise ValueError(f"{self.name}: give how a row reads (row), or the block that it is (block)")
        fields = [one.field for one in self.axes]
        if self.block is not None and fields != ["n", "raw"]:
            raise ValueError(f"{self.name}: a block has x with the field “n” and one y with the field “raw”")
        twice = sorted({field for field in fields if fields.count(field) > 1})
        if twice:
            raise ValueError(f"{self.name}: the field “{twice[0]}” is there twice")
        titles = [one.title for one in self.axes]
        alike = sorted({title for title in titles if titles.count(title) > 1})
        if alike:
            raise ValueError(f"{self.name}: two columns are called “{alike[0]}”")
        if self.rows > self.most:
            raise ValueError(f"{self.name}: it has {self.rows} rows, and is given up after {self.most}")
        return self
