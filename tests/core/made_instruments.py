"""Instruments made by chance: what they send, and the numbers that they mean by it."""

import math
import random
import re
from collections.abc import Callable
from dataclasses import dataclass, field

from tidybench.core.framing.check import CheckRule
from tidybench.core.teaching.question import Question

EVERY = 0.5
"""Seconds between messages of an instrument with its own time."""
Numbers = tuple[float | None, ...]
TOKENS = ("----", "--.-", "OL", "****", "NaN", "ERR")
UNITS = ("V", "mV", "bar", "kPa", "L/min", "°C", "%", "kg", "rpm", "mm", "m3/h")
LABELS = ("T", "P", "FLOW", "LVL", "U", "X1", "SPEED", "ch_2", "Temp", "RH")
STATES = (("OK", "LOW"), ("ST", "US"), ("ON", "OFF"))


@dataclass
class Value:
    """One number of a message: its text, and what it means."""

    write: Callable[[float], str]
    middle: float
    scale: float
    decimals: int
    tokens: tuple[str, ...] = ()
    before: str = ""
    behind: str = ""
    comma: bool = False
    ranges: tuple[str, ...] = ()
    """Units of a display that changes its range; the number is in the first one's."""
    apart: str = " "  # what stands between such a number and its unit
    ahead: bool = False  # the unit stands in front
    most: int = 0  # of whole numbers from 0 on; 0 where there is no such bound

    def make(self, chance: random.Random) -> tuple[str, float | None]:
        if self.tokens and chance.random() < 0.15:
            return self.before + chance.choice(self.tokens) + self.behind, None
        value = round(self.middle + self.scale * chance.gauss(0, 1), self.decimals) + 0.0
        if self.most:
            value = float(min(max(int(value), 0), self.most))
        if self.ranges:
            place = chance.randrange(len(self.ranges))
            text = f"{value / 1000**place:.{self.decimals + 3 * place}f}"
            said = text.replace(".", ",") if self.comma else text
            unit, number = self.ranges[place], float(text) * 1000**place
            return self.before + (
                unit + self.apart + said if self.ahead else said + self.apart + unit
            ), number
        text = self.write(value)
        return self.before + text + self.behind, value


@dataclass
class Made:
    """Kinds of messages, each of parts; what ends them and what proves them. `count` messages have come."""

    kinds: list[list[Value | str | tuple[str, ...]]]
    start: str
    end: str
    check: CheckRule | None
    cut: int
    counter: bool
    chance: random.Random = field(repr=False)
    sent: int = 0
    clock: str = ""
    ticks: float = 0.0  # its own time goes in front: so many a second
    chunks: list[bytes] = field(default_factory=list)  # of the capture, one a message
    errors: float = 0.0
    noise: int = 0
    spoiled: set[int] = field(default_factory=set)  # places in the capture of messages that noise has changed
    notation: str = "point"

    def message(self) -> tuple[bytes, Numbers]:
        """The next one, without what ends it, and its numbers from left to right."""
        kind = self.kinds[self.sent % len(self.kinds)]
        if self.errors and self.chance.random() < self.errors:
            self.sent += 1
            return self._whole(f"ERR {self.chance.randrange(1, 40):02d}"), ()
        text, numbers = "", []
        for part in kind:
            if isinstance(part, str):
                text += part
            elif isinstance(part, tuple):
                text += self.chance.choice(part)
            else:
                said, number = part.make(self.chance)
                text += said
                numbers.append(number)
        if self.counter:
            text = f"{self.sent + 7:05d} {text}"
        if self.clock:
            at = 3600 * 9 + self.sent * 7
            moment = f"{at // 3600:02d}:{at // 60 % 60:02d}:{at % 60:02d}"
            text = f"{self.clock[:-1]}{moment}{self.clock[-1]}{text}"
        if self.ticks:
            text = f"{int((self.sent * EVERY + 5.21) * self.ticks)};{text}"
        self.sent += 1
        return self._whole(text), tuple(numbers)

    def _whole(self, text: str) -> bytes:
        body = text.encode("latin-1")
        return self.check.append_check(body) if self.check is not None else body

    def data(self, count: int) -> tuple[bytes, list[Numbers]]:
        """A capture of so many whole messages, with a piece of one before and behind."""
        made = [self.message() for _ in range(count + 2)]
        for _ in range(self.noise):
            place = self.chance.randrange(1, count)
            spoiled = bytearray(made[place][0])
            spoiled[self.chance.randrange(len(spoiled))] = self.chance.choice(b"\x01\x06\x15\x1f\x7f")
            made[place] = bytes(spoiled), made[place][1]
            self.spoiled.add(place - 1)
        whole = b"".join(self.start.encode() + body + self.end.encode() for body, _ in made[1:-1])
        first, last = made[0][0] + self.end.encode(), self.start.encode() + made[-1][0]
        head = first[-min(self.cut, len(first)) :] if self.cut else b""
        bodies = [self.start.encode() + body + self.end.encode() for body, _ in made[1:-1]]
        self.chunks = [head, *bodies, last[: self.cut]]
        return head + whole + last[: self.cut], [numbers for _, numbers in made[1:-1]]


def made_instrument(seed: int) -> Made:
    """The instrument of this seed."""
    chance = random.Random(seed)
    notation = chance.choice(["point"] * 6 + ["comma", "thousands"])
    separators = (
        [", ", ";", " ", "\t", "|", " / ", ";  "]
        if notation != "point"
        else [",", ";", " ", "\t", "/", "|", ", ", "  "]
    )
    separator = chance.choice(separators)
    labelled = chance.random() < 0.6
    equals = chance.choice(["=", ": ", " ", ":", "= ", ""]) if labelled else ""
    kinds: list[list[Value | str | tuple[str, ...]]] = []
    labels = chance.sample(LABELS, len(LABELS))
    for number in range(chance.choice([1, 1, 1, 1, 2, 3])):
        parts: list[Value | str | tuple[str, ...]] = []
        if number or chance.random() < 0.2:
            letter = "ABCD"[number]
            named = [letter * 2 + ":", letter * 2 + "=", letter, f"CH{number} ", letter * 2 + separator]
            parts.append(chance.choice([*named, f"CH{number}{separator}", f"{number + 1}{separator}"]))
        for place in range(chance.choice([1, 1, 2, 3, 5])):
            if place:
                parts.append(separator)
            parts.append(
                _value(chance, notation, labels.pop() + equals if labelled and labels else "", separator)
            )
        if chance.random() < 0.2:
            parts += [chance.choice([" ", separator]), chance.choice(STATES)]
        kinds.append(parts)
    start, end = chance.choice([("", "\r\n"), ("", "\r\n"), ("", "\r"), ("", "\n"), ("\x02", "\x03")])
    check = chance.choice(
        [None] * 5 + [CheckRule("xor"), CheckRule("sum", before=b"*"), CheckRule("crc-16 ccitt")]
    )
    made = Made(kinds, start, end, check, chance.choice([0, 0, 3, 6]), chance.random() < 0.15, chance)
    if not made.counter and chance.random() < 0.12:
        made.clock = chance.choice([" ", ";", "\t", "2026-11-25  ", "2026-11-25T;"])
    elif not made.counter and chance.random() < 0.15:
        made.ticks = chance.choice([1.0, 10.0, 1000.0, 1000.0, 1e6, 977.0])
    made.notation = notation
    made.errors = chance.choice([0.0] * 8 + [0.08])
    made.noise = chance.choice([0] * 6 + [1, 2])
    return made


def _value(chance: random.Random, notation: str, label: str, separator: str) -> Value:
    decimals = chance.choice([0, 1, 2, 3])
    middle = chance.choice([0.0, 5.0, 60.0, 400.0, 3000.0, 12_000.0]) * chance.choice([1, 1, -1])
    scale = max(abs(middle) * chance.choice([0.05, 0.3, 1.2]), 3.0)
    if chance.random() < 0.06:
        digits = chance.choice([2, 4])
        size = 16**digits
        # Spread widely: digits without a single letter would say nothing of their base.
        made = Value(lambda value: f"{int(value):0{digits}X}", size / 2, size / 3, 0, (), label)
        made.most = size - 1
        return made
    if chance.random() < 0.06:
        ranges = chance.choice([("mV", "V"), ("g", "kg"), ("Pa", "kPa")])
        made = Value(str, middle, scale, decimals, (), label, "", notation == "comma", ranges)
        made.apart, made.ahead = chance.choice([" ", " ", "", separator]), not label and chance.random() < 0.3
        return made
    style = chance.choice(
        ["plain", "plain", "signed", "blank sign", "behind", "exponent", "zeros", "blanks", "D"]
    )
    unit = chance.choice(UNITS) if chance.random() < 0.4 else ""
    behind = (chance.choice(["", " "]) + unit) if unit else ""
    tokens = (chance.choice(TOKENS),) if chance.random() < 0.2 else ()
    if style in ("zeros", "behind") and middle - 4 * scale < 0:
        middle = abs(middle)
    width = len(f"{abs(middle) + 6 * scale:.{decimals}f}")

    def write(value: float) -> str:
        sign, size = ("-" if value < 0 else "+"), abs(value)
        text = {
            "plain": f"{value:.{decimals}f}",
            "signed": f"{value:+.{decimals}f}",
            "blank sign": f"{sign} {size:.{decimals}f}",
            "behind": f"{size:.{decimals}f}{sign}",
            "exponent": f"{value:+.8E}",
            "zeros": f"{sign}{size:0{width}.{decimals}f}",
            "blanks": f"{value:{width + 2}.{decimals}f}",
            "D": f"{value:.9E}".replace("E", "D"),
        }[style]
        if notation == "thousands" and style in ("plain", "signed", "blanks"):
            text = f"{value:,.{decimals}f}" if style == "plain" else f"{value:+,.{decimals}f}"
        return text.replace(".", ",") if notation == "comma" else text

    return Value(write, middle, scale, decimals, tokens, label, behind)


def truth(made: Made, question: Question) -> str:
    """What somebody answers who knows this instrument; "" where nobody could."""
    kind, _, about = question.key.partition(":")
    keys = [choice.key for choice in question.choices]
    if kind == "word":
        meant = (
            "quantities"
            if all(re.fullmatch(r"[ABCD]{1,2}|CH[012]|[mk]?(V|g|Pa)", one) for one in about.split("|"))
            else ""
        )
    elif kind == "side":
        values = [
            one
            for parts in made.kinds
            for one in parts
            if isinstance(one, Value) and one.ranges and set(one.ranges) == set(about.split("|"))
        ]
        meant = "behind" if values and values[0].ahead else "before"
        meant = "" if len({one.ahead for one in values}) > 1 else meant
    elif kind == "place":
        tagged = any(isinstance(parts[0], str) and parts[0][:1] in "123" for parts in made.kinds)
        named = about.startswith("CH")
        meant = "sensors" if named or (tagged and set(about) <= set("123|")) else "reading"
    elif kind == "rare":
        meant = "pass" if re.search(r"\[(01|06|15|1F|7F)\]", about) else "wait"
    elif kind == "error":
        meant = "error" if re.fullmatch(r"What is “ERR \d\d”.*", question.words) else "token"
    elif kind == "comma":
        meant = {"comma": "decimal", "thousands": "thousands", "point": "parts"}[made.notation]
    elif kind == "digit":
        meant = "rest" if any((about + digit).endswith(("X1", "ch_2")) for digit in "12") else "all"
    elif kind == "unit":
        meant = next(
            (
                one.ranges[0]
                for parts in made.kinds
                for one in parts
                if isinstance(one, Value) and one.ranges and one.ranges[0] in keys
            ),
            "",
        )
    else:
        meant = {
            "sign": "minus",
            "behind": "minus",
            "hex": "plain",
            "clock": "time",
            "time": "count" if made.ticks == 977.0 or not made.ticks else "time",
            "which": "?",
        }.get(kind, "")
    return meant if meant in keys else ""


def is_near(found: Numbers, wanted: Numbers) -> bool:
    """Whether the same numbers came, in the same order; None is no number."""
    mine = [one for one in found if one is not None]
    theirs = [one for one in wanted if one is not None]
    return len(mine) == len(theirs) and all(
        math.isclose(a, b, rel_tol=1e-6, abs_tol=1e-9) for a, b in zip(mine, theirs, strict=True)
    )
