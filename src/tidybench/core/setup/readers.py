"""Ways to read messages that are no pattern: columns, pairs, NMEA 0183, SCPI numbers, JSON, blocks."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from tidybench.core.setup.part import Label, Part

Names = Annotated[list[Annotated[str, Field(max_length=80)]], Field(max_length=200)]
Tokens = Annotated[list[Annotated[str, Field(max_length=40)]], Field(max_length=20)]
Separator = Annotated[str, Field(min_length=1, max_length=8)]


class NumbersPart(Part):
    """How numbers are written, and which texts stand in their place."""

    decimal: Literal[".", ","] = "."
    none: Tokens = []
    over: Tokens = []
    under: Tokens = []


class ColumnsPart(NumbersPart):
    """Cells between separators. Names are typed ("-" skips one), learnt from a header row, or counted: c1, c2 …"""

    kind: Literal["columns"]
    separator: Separator = ","
    names: Names = []
    header: bool = False

    @model_validator(mode="after")
    def _separates(self) -> "ColumnsPart":
        if self.separator == self.decimal:
            raise ValueError("the separator cannot be the decimal sign too")
        return self


class PairsPart(NumbersPart):
    """Labels with their values, in any order, one or several a message."""

    kind: Literal["pairs"]
    between: Separator = ";"
    equals: Separator = "="

    @model_validator(mode="after")
    def _separates(self) -> "PairsPart":
        if self.decimal in (self.between, self.equals) or self.between == self.equals:
            raise ValueError(
                "what stands between pairs, what stands within them, and the decimal sign must differ"
            )
        return self


class NmeaPart(Part):
    """NMEA 0183 sentences; others than those named are passed over."""

    kind: Literal["nmea"]
    sentences: Annotated[
        list[Annotated[str, Field(pattern=r"^[A-Z0-9]{3}$")]], Field(min_length=1, max_length=20)
    ]
    talker: Annotated[str, Field(pattern=r"^([A-Z0-9]{2})?$")] = ""


class ScpiPart(Part):
    """Numbers as SCPI has them (NR1, NR2, NR3, #H #Q #B), with commas between several; 9.9E37 is over range,
    9.91E37 no reading."""

    kind: Literal["scpi"]
    names: Annotated[list[Label], Field(min_length=1, max_length=200)]


class JsonPart(Part):
    """One JSON object (or array) a message; a field is called by its path, as in `sensor.temp` or `v.0`."""

    kind: Literal["json"]


class BlockPart(Part):
    """An IEEE 488.2 block of numbers. Fields: count, mean, rms, min, max, and v1, v2 … for the numbers themselves."""

    kind: Literal["block"]
    numbers: Literal[
        "int8", "uint8", "int16", "uint16", "int32", "uint32", "float32", "float64", "text"
    ] = "float32"  # fmt: skip
    order: Literal["high first", "low first"] = "high first"
    most: Annotated[int, Field(ge=0, le=200)] = 0


ReaderPart = Annotated[
    ColumnsPart | PairsPart | NmeaPart | ScpiPart | JsonPart | BlockPart, Field(discriminator="kind")
]
READER_TAGS = ("columns", "pairs", "nmea", "scpi", "json", "block")
