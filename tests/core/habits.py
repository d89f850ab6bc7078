"""Forty habits of instruments that talk, of forty trades: what they send, and what must come out of it.

All are made up. They were written down before the proposals were made to pass them.
"""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime

from tidybench.core.framing.check import CheckRule, nmea, xor_of

NONE = None
Row = tuple[float | None, ...]


@dataclass(frozen=True)
class Habit:
    """`data`: bytes, or bursts of them a second apart. `rows`: the numbers of each message, None for no reading; only messages
    with readings. `asks`: a part of what must be asked, and of the answer to give. `needs`: a part of why nothing is
    proposed. `names` and `units`: of the channels that are numbers, where they are known."""

    trade: str
    data: bytes | Sequence[bytes]
    rows: Sequence[Row] = ()
    asks: Sequence[tuple[str, str]] = ()
    needs: str = ""
    names: Sequence[str] = ()
    units: Sequence[str] = field(default=())
    states: Sequence[str] = ()  # of each message
    clock: Sequence[float] = ()  # of each message: the device's own time in seconds


N = 30
WAVE = [math.sin(n * 1.7) + 0.37 * math.sin(n * 0.9 + 1) for n in range(N)]


def wave(scale: float, middle: float, decimals: int) -> list[float]:
    return [round(middle + scale * value, decimals) for value in WAVE]


def lines(make: Callable[[int], str], end: str = "\r\n", codec: str = "latin-1") -> bytes:
    return "".join(make(n) + end for n in range(N)).encode(codec)


def one(values: Sequence[float]) -> list[Row]:
    return [(value,) for value in values]


TORQUE = wave(20, 3, 2)
WEIGHT = wave(40, 90, 1)
TEMP = wave(4, 21, 1)
TENS = wave(9, 21.5, 2)
SPEED = wave(700, 1200, 1)
LEVEL = wave(20, 55, 0)
SMALL = wave(0.4, 1.1, 3)
HEXES = [int(value) for value in wave(90, 300, 0)]
SIGNED = [int(value) for value in wave(90, 5, 0)]


def _two(rows_a: Sequence[float], rows_b: Sequence[float]) -> list[Row]:
    return list(zip(rows_a, rows_b, strict=True))


def _checked(bad: Sequence[int]) -> bytes:
    rule = CheckRule("xor")
    out = b""
    for n, value in enumerate(TEMP):
        message = rule.append_check(f"T={value:+07.1f}".encode())
        out += (b"T=+9" + message[4:] if n in bad else message) + b"\r\n"
    return out


def _nmea(text: str) -> bytes:
    body = f"${text}*".encode()
    sentence = body + f"{xor_of(body[1:-1]):02X}".encode()
    assert nmea(sentence) is not None
    return sentence + b"\r\n"


def _magnitude(value: float) -> str:
    """A display with four digits that changes its unit."""
    return f"{value * 1000:.1f} mV" if abs(value) < 1 else f"{value:.4f} V"


VOLTS = [round(value, 4) for value in wave(0.9, 1.0, 4)]

HABITS = [
    Habit("torque wrench: a blank behind the sign", lines(lambda n: f"{'-' if TORQUE[n] < 0 else '+'} {abs(TORQUE[n]):.2f} Nm"), one(TORQUE), units=["Nm"]),
    Habit("bench scale: the sign behind", lines(lambda n: f"{abs(TORQUE[n]):07.2f}{'-' if TORQUE[n] < 0 else '+'}"), one(TORQUE)),
    Habit("platform scale: states in front, a unit that touches", lines(lambda n: f"{'ST' if n % 5 else 'US'},GS,{WEIGHT[n]:+08.1f}kg"), one(WEIGHT), units=["kg"], states=["ST" if n % 5 else "US" for n in range(N)]),
    Habit("multimeter: a unit that changes", lines(lambda n: _magnitude(VOLTS[n])), one(VOLTS), [("unit changes", "V")], units=["V"]),
    Habit("counter: exponents", lines(lambda n: f"{SPEED[n]:+.5E}"), one(SPEED)),
    Habit("old laboratory computer: exponents with D", lines(lambda n: f"F {SPEED[n]:.5E}".replace("E", "D")), one(SPEED)),
    Habit("tachometer: thousands come and go", lines(lambda n: f"{SPEED[n]:,.1f} rpm"), one(SPEED), units=["rpm"]),
    Habit("flow totals: a comma and always three digits", lines(lambda n: f"Q {abs(SMALL[n]) + 1:.3f}".replace(".", ",")), one([round(abs(v) + 1, 3) for v in SMALL]), [("meant", "decimal")]),
    Habit("climate sensor: decimal comma and degrees", lines(lambda n: f"{TEMP[n]:.1f} °C".replace(".", ",")), one(TEMP), units=["°C"]),
    Habit("data logger of a cold store: semicolons and commas", lines(lambda n: f"{TEMP[n]:.1f};{SMALL[n]:.3f};{'OK' if n % 7 else 'LOW'}".replace(".", ",")), _two(TEMP, SMALL), states=["OK" if n % 7 else "LOW" for n in range(N)]),
    Habit("depth gauge: a letter that touches three digits, CR", lines(lambda n: f"T{int(LEVEL[n]):03d}", "\r"), one(LEVEL)),
    Habit("two probes: a letter says which", b"".join(f"A{int(LEVEL[n]):03d}\rB{int(TEMP[n]):03d}\r".encode() for n in range(N)), [row for n in range(N) for row in ((LEVEL[n], NONE), (NONE, float(int(TEMP[n]))))]),
    Habit("hopper scale: four digits once a second, nothing between", [f"{int(WEIGHT[n] * 10):04d}".encode() for n in range(N)], one([float(int(v * 10)) for v in WEIGHT])),
    Habit("pH meter: a time of day in front", lines(lambda n: f"12:{n // 60 + 10:02d}:{n % 60:02d} {SMALL[n]:.3f}"), one(SMALL), clock=[12 * 3600 + 600 + n for n in range(N)]),
    Habit("weather mast: ISO time and columns", lines(lambda n: f"2026-11-25T12:00:{n:02d}Z,{TEMP[n]:.1f},{LEVEL[n]:.1f},{SMALL[n]:.2f}"), [(a, b, round(c, 2)) for a, b, c in zip(TEMP, LEVEL, SMALL, strict=True)], clock=[datetime(2026, 11, 25, 12, 0, n, tzinfo=UTC).timestamp() for n in range(N)]),
    Habit("dosing pump: a counter in front", lines(lambda n: f"{n + 117:06d} {TEMP[n]:.1f}"), one(TEMP)),
    Habit("strain gauge amplifier: milliseconds since power-up", lines(lambda n: f"{50_210 + n * 100 + n % 3};{TORQUE[n]:.2f}"), one(TORQUE)),
    Habit("converter: hexadecimal counts", lines(lambda n: f"{HEXES[n]:04X}"), one([float(v) for v in HEXES])),
    Habit("accelerometer: hexadecimal counts with a sign", lines(lambda n: f"X{SIGNED[n] & 0xFFFF:04X}".replace("X", "X=", 1)), one([float(v) for v in SIGNED]), [("hexadecimal", "yes")]),
    Habit("oven controller: error replies between", lines(lambda n: "ERR 12" if n % 11 == 5 else f"PV={TEMP[n] + 100:.1f}"), one([round(TEMP[n] + 100, 1) for n in range(N) if n % 11 != 5])),
    Habit("analyser: SCPI numbers, over range", lines(lambda n: "9.90000E+37,1.0000E+00" if n == 4 else f"{TEMP[n]:.4E},{SMALL[n]:.4E}"), [(NONE, 1.0) if n == 4 else (TEMP[n], float(f"{SMALL[n]:.4E}")) for n in range(N)]),
    Habit("echo sounder: NMEA 0183", b"".join(_nmea(f"SDDPT,{abs(SMALL[n]) + 3:.1f},0.3") for n in range(N)), [(round(abs(v) + 3, 1), 0.3) for v in SMALL]),
    Habit("greenhouse node: JSON", lines(lambda n: f'{{"seq":{n},"t":{TEMP[n]},"rh":{LEVEL[n]}}}', "\n"), _two(TEMP, LEVEL)),
    Habit("boiler: labels that move", lines(lambda n: f"T={TEMP[n]};P={SMALL[n]}" if n % 2 else f"P={SMALL[n]};T={TEMP[n]}"), [(p, t) for p, t in zip(SMALL, TEMP, strict=True)]),
    Habit("chiller: units that touch, two labels", lines(lambda n: f"T={TEMP[n]:.1f}C P={SMALL[n]:.3f}bar"), _two(TEMP, SMALL), units=["°C", "bar"], names=["T", "P"]),
    Habit("pressure calibrator: check characters, two spoiled", _checked([6, 17]), one([v for n, v in enumerate(TEMP) if n not in (6, 17)])),
    Habit("melt line: three probes, one broken now and then", lines(lambda n: f"CH1: {TEMP[n]:.1f} CH2: {TENS[n]:.2f} CH3: {'--.-' if n % 6 == 2 else f'{LEVEL[n]:.1f}'}"), [(TEMP[n], TENS[n], NONE if n % 6 == 2 else LEVEL[n]) for n in range(N)]),
    Habit("ohmmeter: overload instead of a number", lines(lambda n: "OL kOhm" if n % 9 == 3 else f"{SPEED[n]:.1f} kOhm"), one([NONE if n % 9 == 3 else SPEED[n] for n in range(N)]), units=["kOhm"]),
    Habit("balance of three arms: numbers that touch", lines(lambda n: f"{TORQUE[n]:+07.2f}{WEIGHT[n]:+07.1f}{-WEIGHT[n]:+07.1f}"), [(t, w, -w) for t, w in zip(TORQUE, WEIGHT, strict=True)]),
    Habit("engine test: a header and tabs", b"SPEED\tTORQUE\r\n" + lines(lambda n: f"{SPEED[n]:.1f}\t{TORQUE[n]:.2f}"), _two(SPEED, TORQUE), names=["Speed", "Torque"]),
    Habit("flow meter: a banner at power-up", b"FLOW METER V2.1\r\n" + lines(lambda n: f"FL={SPEED[n]:.1f} L/min"), one(SPEED), [("FLOW METER", "pass")], units=["L/min"]),
    Habit("inclinometer: bytes with a sum", b"".join(bytes([0xAA, *(int(v * 100) & 0xFFFF).to_bytes(2, "big"), n, (0xAA + sum((int(v * 100) & 0xFFFF).to_bytes(2, "big")) + n) & 0xFF]) for n, v in enumerate(TENS)), needs="no text"),
    Habit("a line at a wrong baud rate", bytes((n * 73 + n * n * 31 + 17) % 256 for n in range(900)), needs="o"),
    Habit("stopwatch: minutes and seconds", lines(lambda n: f"LAP {1 + n % 3:d}:{(n * 7) % 60:02d}.{n % 10}"), one([round(60 * (1 + n % 3) + (n * 7) % 60 + (n % 10) / 10, 1) for n in range(N)]), [("What is", "measured time")], units=["s"]),
    Habit("hygrometer: percent and a state", lines(lambda n: f"{LEVEL[n]:.1f} %RH {'LOW' if LEVEL[n] < 40 else 'OK'}"), one(LEVEL), states=["LOW" if LEVEL[n] < 40 else "OK" for n in range(N)]),
    Habit("quality station: quoted cells", lines(lambda n: f'"P1","{TEMP[n]:.2f}","bar"'), one(TEMP)),
    Habit("blood pressure simulator: two numbers and a slash", lines(lambda n: f"{int(LEVEL[n]) + 60}/{int(TEMP[n]) + 60}"), _two([float(int(v) + 60) for v in LEVEL], [float(int(v) + 60) for v in TEMP])),
    Habit("crane scale: zeros in front and a unit", lines(lambda n: f"{int(WEIGHT[n]):05d} kg"), one([float(int(v)) for v in WEIGHT]), units=["kg"]),
    Habit("tank: percent and litres", lines(lambda n: f"LVL {int(LEVEL[n])}% VOL {int(SPEED[n])} L"), _two([float(int(v)) for v in LEVEL], [float(int(v)) for v in SPEED]), units=["%", "L"]),
    Habit("vacuum gauge: two lines a reading", b"".join(f"T={TEMP[n]:.1f}\r\nP={SMALL[n]:.3f}\r\n\r\n".encode() for n in range(N)), [row for n in range(N) for row in ((TEMP[n], NONE), (NONE, SMALL[n]))]),
    Habit("force gauge: the unit in front changes the quantity", lines(lambda n: f"N {SPEED[n]:.1f}" if n % 2 else f"mm {TENS[n]:.2f}"), [(NONE, SPEED[n]) if n % 2 else (TENS[n], NONE) for n in range(N)]),
    Habit("wind sensor: marks and a check behind them", b"".join(b"\x02Q,%03d,%06.2f,M,00,\x03" % (int(LEVEL[n]) + 100, abs(TENS[n])) + b"%02X" % xor_of(b"Q,%03d,%06.2f,M,00," % (int(LEVEL[n]) + 100, abs(TENS[n]))) + b"\r\n" for n in range(N)), _two([float(int(v) + 100) for v in LEVEL], [abs(v) for v in TENS])),
    Habit("clamp meter: the quantity changes", lines(lambda n: f"DC {TENS[n]:.2f} V" if n < 15 else f"DC {SMALL[n]:.3f} A"), [(TENS[n], NONE) if n < 15 else (NONE, SMALL[n]) for n in range(N)], units=["V", "A"]),
    Habit("a hyphen before the number", lines(lambda n: f"CH-{abs(TEMP[n]):.1f}"), one([abs(v) for v in TEMP]), [("below zero", "no")]),
    Habit("few messages", b"T=1.5\r\nT=1.6\r\nT=1.7\r\n", needs="too few"),
]  # fmt: skip
