"""How a register or coil is told a value."""

import struct

from tidybench.core.reading.registers import raw_registers
from tidybench.core.setup.modbus import RegisterPart


def write_pdu(one: RegisterPart, value: float) -> bytes:
    """Function and data that write a value (MODBUS Application Protocol 1.1b3: 6.5 a coil, 6.6 one register, 6.12
    several). Raises ValueError with a sentence where the value does not fit or may not be written."""
    if not one.writable:
        raise ValueError(
            f"{one.name} is not marked as one that may be written. Mark it in the register map first."
        )
    if one.bit is not None:
        raise ValueError(f"{one.name} is a single bit of a register: write the whole register.")
    if one.is_bit:
        if value not in (0, 1):
            raise ValueError(f"{one.name} is a coil: 0 or 1; {value:g} is neither.")
        return struct.pack(">BHH", 5, one.at, 0xFF00 if value else 0)
    registers = raw_registers(one, value)
    if len(registers) == 1:
        return struct.pack(">BHH", 6, one.at, registers[0])
    data = struct.pack(f">{len(registers)}H", *registers)
    return struct.pack(">BHHB", 16, one.at, len(registers), len(data)) + data
