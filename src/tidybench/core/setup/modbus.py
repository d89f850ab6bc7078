"""A Modbus device: its bus address and its register map."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from tidybench.core.setup.part import Label, Part

Table = Literal["holding", "input", "coil", "discrete"]
Holds = Literal["uint16", "int16", "uint32", "int32", "uint64", "int64", "float32", "float64", "bit"]
REGISTERS: dict[str, int] = {
    "uint16": 1, "int16": 1, "uint32": 2, "int32": 2, "uint64": 4, "int64": 4, "float32": 2, "float64": 4, "bit": 1
}  # fmt: skip
"""How many registers each kind of value takes."""


class RegisterPart(Part):
    """One value: its name, where it stands (counted from 0, as on the wire), what it holds.

    `order`: of the registers of a value that takes several; "swapped": the two bytes of each register change places.
    `none`: raw whole numbers that stand for
    no reading. `bit`: a single bit of a register, 0 the lowest.
    """

    name: Label
    at: Annotated[int, Field(ge=0, le=65_535)]
    table: Table = "holding"
    holds: Holds = "uint16"
    order: Literal["high first", "low first", "high first, swapped", "low first, swapped"] = "high first"
    none: Annotated[list[int], Field(max_length=20)] = []
    bit: Annotated[int, Field(ge=0, le=15)] | None = None
    writable: bool = False

    @model_validator(mode="after")
    def _fits(self) -> "RegisterPart":
        if self.table in ("coil", "discrete") and self.holds not in ("uint16", "bit"):
            raise ValueError(f"{self.name}: a {self.table} is one bit, not {self.holds}")
        if self.bit is not None and self.holds not in ("uint16", "bit"):
            raise ValueError(f"{self.name}: a single bit is taken from one register, not from {self.holds}")
        if self.holds == "bit" and self.bit is None and not self.is_bit:
            raise ValueError(f"{self.name}: say which bit of the register, 0 to 15: bit = 0")
        if self.at + self.size > 65_536:
            raise ValueError(f"{self.name}: there is no register behind 65535")
        if self.writable and self.table in ("input", "discrete"):
            raise ValueError(f"{self.name}: {self.table} values can only be read")
        return self

    @property
    def low_first(self) -> bool:
        """Whether the register with the lowest digits comes first."""
        return self.order.startswith("low first")

    @property
    def swapped(self) -> bool:
        """Whether a register's low byte comes first."""
        return self.order.endswith("swapped")

    @property
    def is_bit(self) -> bool:
        """Whether its table holds single bits."""
        return self.table in ("coil", "discrete")

    @property
    def size(self) -> int:
        """Addresses it takes."""
        return 1 if self.is_bit else REGISTERS[self.holds]


class ModbusPart(Part):
    """A device on a Modbus line; what stands near each other (`together` addresses apart at most) is
    fetched in one request."""

    unit: Annotated[int, Field(ge=0, le=255)]
    every_s: Annotated[float, Field(ge=0, le=86_400)] = 1.0
    on_demand: bool = False
    give_up_after_s: Annotated[float, Field(ge=0.005, le=600)] = 0.3
    together: Annotated[int, Field(ge=0, le=100)] = 8
    registers: Annotated[list[RegisterPart], Field(max_length=500)] = []

    @model_validator(mode="after")
    def _names(self) -> "ModbusPart":
        names = [one.name for one in self.registers]
        twice = sorted({name for name in names if names.count(name) > 1})
        if twice:
            raise ValueError(f"the register name “{twice[0]}” is used twice")
        return self
