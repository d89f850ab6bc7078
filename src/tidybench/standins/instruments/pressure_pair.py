"""The pressure pair: two transmitters on one RS-485 line."""

import struct

from tidybench.core.protocols.modbus import crc_good, seal
from tidybench.standins.device import Device
from tidybench.standins.uart import LineFormat

SUCTION, DISCHARGE = 11, 12


class PressurePair(Device):
    """Modbus RTU, unit addresses 11 (suction) and 12 (discharge). Holding registers 0 and 1: pressure in
    bar as a 32-bit float, high word first; 2: in units of 0.01 bar; 3: serial number. Coil 0: zero."""

    name = "pressure-pair"
    title = "Pressure pair"
    line = LineFormat(19200, 8, "even")
    answer_time = 0.006
    more_faults = ("late", "dashes", "wrong checksum", "same address")

    _zero: dict[int, float]

    def factory(self) -> None:
        self._zero = {SUCTION: 0.0, DISCHARGE: 0.0}

    def split(self, heard: bytes) -> tuple[list[bytes], bytes]:
        frames = []
        while len(heard) >= 8:
            length = 9 + heard[6] if heard[1] in (15, 16) else 8
            if len(heard) < length:
                break
            if crc_good(heard[:length]):
                frames.append(heard[:length])
                heard = heard[length:]
            else:
                heard = heard[1:]
        return frames, heard

    def answer(self, query: bytes) -> bytes | None:
        unit = query[0]
        if "same address" in self.faults:
            if unit != SUCTION:
                return None
            # Both transmitters answer to 11, one a little after the other.
            return self._reply(query, SUCTION) + self._reply(query, DISCHARGE)
        return self._reply(query, unit) if unit in self._zero else None

    def _reply(self, query: bytes, unit: int) -> bytes:
        address, function = query[0], query[1]
        first, count = struct.unpack(">HH", query[2:6])
        if function in (3, 4):
            registers = self._registers(unit)
            if first + count > len(registers) or not count:
                return seal(bytes([address, function | 0x80, 2]))
            data = struct.pack(f">{count}H", *registers[first : first + count])
            return seal(bytes([address, function, len(data)]) + data)
        if function == 1 and first == 0:
            return seal(bytes([address, 1, 1, int(self._zero[unit] != 0)]))
        if function == 5 and first == 0:
            self._zero[unit] = self._pressure(unit) if count == 0xFF00 else 0.0
            return query
        return seal(bytes([address, function | 0x80, 1]))

    def _pressure(self, unit: int) -> float:
        return self.loop.suction() if unit == SUCTION else self.loop.discharge()

    def _registers(self, unit: int) -> list[int]:
        value = self._pressure(unit) - self._zero[unit]
        if "dashes" in self.faults:
            return [0x7FC0, 0x0000, 0x8000, 4100 + unit]  # not a number; -32768 for none
        high, low = struct.unpack(">HH", struct.pack(">f", value))
        return [high, low, round(value * 100) & 0xFFFF, 4100 + unit]

    def spoil_check(self, reply: bytes) -> bytes:
        return reply[:-1] + bytes([reply[-1] ^ 0x55])
