"""A message pattern built from messages of one kind: every character of them becomes part of it."""

import itertools
import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field

from tidybench.core.reading.moment import seconds_of
from tidybench.core.reading.pattern import PatternError, compile_pattern
from tidybench.core.teaching.decimals import decimals_of
from tidybench.core.teaching.kinds import Group
from tidybench.core.teaching.question import Asking, Choice, Question, key_of, shown_text
from tidybench.core.teaching.running import (
    DAY,
    EXPLICIT,
    NAMED,
    OF_UNIT,
    SURE_FROM,
    Clock,
    glued,
    is_date,
    layout_of,
    tick_of,
    wraps_after,
)
from tidybench.core.teaching.slots import DASHES, OVER, UNDER, Notation, Slot, by_one, counts_by_name, rises
from tidybench.core.teaching.source import inside, literal_source
from tidybench.core.teaching.units import is_unit, one_scale, plain_unit

OF = "of()"
"""Stands for the name of a number that is still to come."""
MAX_STATES = 8
"""Words from which on what changes is a text, and no state."""
MAX_ALIKE = 0.3
"""The share of hexadecimal numbers that may be the same letters before they are taken for a word."""
ENOUGH_FLAGS = 10
"""Messages in which nothing but 0 and 1 stood before a number is taken for a flag."""
FIXED_AFTER = 5
"""Messages that must agree on a whole number before it counts as part of the text."""


OTHER = {"ON": "OFF", "OFF": "ON", "On": "Off", "Off": "On", "on": "off", "off": "on"}
"""What a word that is alone becomes when it is switched."""

SWITCHED = {"ON", "OFF", "OPEN", "OPENED", "CLOSED", "SHUT", "RUN", "RUNNING", "STOP", "STOPPED", "START", "STARTED", "AUTO", "MAN", "MANUAL",
            "LOCAL", "REMOTE", "IDLE", "STANDBY", "HEAT", "COOL", "HOLD", "FORWARD", "REVERSE"}  # fmt: skip
"""Words that say how something stands that can be switched, and nothing of how good a number is."""


@dataclass(slots=True)
class ProposedChannel:
    """A channel that a proposal would make. `clock`: its field is the device's own time; `states`: the words it can be."""

    field: str
    name: str
    unit: str = ""
    decimals: int = 2
    clock: Clock | None = None
    states: tuple[str, ...] = ()
    seen: tuple[float, float] | None = None  # the lowest and highest value that came


@dataclass(slots=True)
class Built:
    """A pattern, the channels it gives, why it looks as it does. `trouble`: why there is none."""

    source: str = ""
    channels: list[ProposedChannel] = field(default_factory=list)
    reasons: list[str] = field(default_factory=list)
    trouble: str = ""
    labels: set[tuple[str, str]] = field(default_factory=set)  # with the unit of what they stand before
    words: set[str] = field(default_factory=set)  # that never change
    leads: set[str] = field(default_factory=set)  # those right in front of a number
    begins: str = ""  # the word that messages of this kind begin with


class Builder:
    """Of one kind of messages. `times`: when each of the capture's messages came (microseconds), where that is known. `names`: what a header row calls its cells; `taken`: names of fields that others have;
    `only`: whether there is no other kind."""

    def __init__(
        self,
        group: Group,
        notation: Notation,
        codec: str,
        asking: Asking,
        taken: set[str],
        names: Sequence[str] = (),
        only: bool = True,
        times: Sequence[int] = (),
    ) -> None:
        self._group, self._notation, self._codec, self._asking = group, notation, codec, asking
        self._taken, self._names, self._only = taken, names, only
        self._times = [times[place] if times else 0 for place in group.places]
        self._pieces: list[str] = []
        self._built = Built()
        self._fixed: list[str] = []
        self._labels: list[str] = []
        self._ahead: tuple[str, int] | None = (
            None  # a unit in front of its number: which, and the piece that scales
        )
        self._names_at: dict[int, str] = {}  # of numbers, by their place
        self._said: dict[str, str] = {}  # the labels themselves, by the names made of them

    def build(self) -> Built:
        """The pattern; with a trouble where something cannot be told."""
        group, built = self._group, self._built
        built.begins = self._begins()
        for index, part in enumerate(group.rows[0]):
            slot = group.slots[index]
            number_first = slot is not None and slot.kind in ("number", "numbers") and not any(slot.pre)
            number_first = number_first or (
                slot is not None and slot.kind == "fixed" and self._is_reading(index, slot)
            )
            self._gap(index, number_first and not (slot is not None and any(slot.pre)))
            if slot is None:
                self._pieces.append(self._literal(part.text))
            else:
                self._slot(index, slot)
            if built.trouble:
                return built
        built.source = "".join(self._pieces)
        try:
            compile_pattern(built.source, self._codec)
        except PatternError as error:
            built.trouble = f"these messages cannot be said as a pattern: {error.what}"
            return built
        self._say(len(group.places))
        return built

    def _begins(self) -> str:
        """The word that messages of this kind begin with, behind a counter or a time."""
        slots = [one for one in self._group.slots if one is not None]
        lead = (
            slots[1:] if slots and slots[0].kind in ("number", "clock") and not any(slots[0].pre) else slots
        )
        return lead[0].texts[0].decode("latin-1") if lead and lead[0].kind == "fixed" else ""

    def _say(self, count: int) -> None:
        built = self._built
        units = sorted({one.unit for one in built.channels if one.unit and one.clock is None})
        found = []
        if self._labels:
            found.append(f"labels stand before numbers: {', '.join(self._labels)}")
        if units:
            found.append(f"units stand behind numbers: {', '.join(units)}")
        if self._fixed:
            found.append(
                f"{', '.join('“' + one + '”' for one in self._fixed)} never changes in {count} messages"
            )
        built.reasons = [*found, *built.reasons]
        if not built.reasons and built.channels:
            size = len(built.channels)
            built.reasons.append(
                f"{size} number{'s' if size > 1 else ''} in messages that otherwise never change"
            )

    def _literal(self, text: bytes) -> str:
        return literal_source(text, self._codec)

    def _gap(self, index: int, number: bool) -> None:
        blanks = {row[index].blanks for row in self._group.rows}
        if blanks == {0}:
            return
        touches = index > 0 and self._group.slots[index - 1] is not None
        if number and not touches:
            return  # a number takes the blanks before it
        self._pieces.append(" " if 0 not in blanks else "<? ?>")

    # ---- what stands at a cell

    def _slot(self, index: int, slot: Slot) -> None:
        if slot.kind == "fixed":
            if slot.digits and self._is_reading(index, slot):
                self._number(index, slot)
                return
            if DASHES.fullmatch(slot.texts[0]) and not self._only:
                self._trouble(slot, "nothing but this has come where a number may stand")
                return
            if self._is_switch(index, slot):
                self._switch(index, slot)
                return
            self._pieces.append(self._literal(slot.texts[0]))
            self._built.words.add(slot.texts[0].decode("latin-1"))
            if slot.digits:
                self._fixed.append(shown_text(slot.texts[0]))
                if any(slot.behind) and self._group.slots[index + 1] is not None:
                    self._trouble(slot, "a sign stands between a name and a number")
        elif slot.kind == "number":
            self._number(index, slot)
        elif slot.kind == "numbers":
            self._several(index, slot)
        elif slot.kind == "hex":
            self._hex(index, slot)
        elif slot.kind == "clock":
            self._clock(index, slot)
        elif slot.kind == "word":
            self._word(index, slot)
        else:
            self._trouble(slot, slot.why)

    def _trouble(self, slot: Slot, why: str) -> None:
        different = list(dict.fromkeys(slot.texts))
        examples = ", ".join(f"“{shown_text(one)}”" for one in different[:3])
        self._built.trouble = f"{why}: {examples}"

    def _is_reading(self, index: int, slot: Slot) -> bool:
        """Whether a number that does not change still looks like a reading: alone, with a point or a sign, with a unit, or
        behind a label and “=”; or nobody can know yet."""
        if not slot.digits:
            return False
        numbers = [
            one
            for one in self._group.slots
            if one is not None and (one.kind in ("number", "hex", "numbers") or one.digits)
        ]
        text = slot.texts[0]
        if any(slot.pre) and slot.digits[0].isdigit() and (len(numbers) > 1 or not self._only):
            return False  # CH1, X2: a name
        return (
            (len(numbers) == 1 and not any(slot.pre))
            or len(slot.texts) < FIXED_AFTER
            or (b"." in text or b"," in text or bool(slot.signs[0]))
            or bool(self._unit(index, slot))
            or self._before(index)[1] in (b"=", b"(")
        )

    # ---- numbers

    def _number(self, index: int, slot: Slot) -> None:
        name = self._name(index, slot)
        self._names_at[index] = name
        if any(slot.pre):
            self._pre(slot, name)
        if not self._sign(index, slot):
            return
        if self._glued(slot, name):
            return
        options, reasons = self._options(name, slot)
        unit = self._unit(index, slot)
        units = self._changing(slot, name)
        ahead, self._ahead = self._ahead, None
        shown = units[0] if units else ahead[0] if ahead else unit
        if ahead:  # its unit stands in front
            self._pieces[ahead[1]] = self._pieces[ahead[1]].replace(OF, f"of({name})")
        source = [name, *options, *([f"[{shown}]"] if shown else [])]
        lead = self._group.slots[index - 1] if index else None
        if lead is not None and lead.kind == "fixed":
            self._built.leads.add(lead.texts[0].decode("latin-1").lower())
        self._built.leads |= {one.decode("latin-1").lower() for one in slot.pre if one}
        if name in self._labels:
            self._built.labels.add((self._said[name], shown))
        named = name in self._labels and not counts_by_name(name)
        counts = slot.passed or (
            rises(slot)
            and not self._alone()
            and not named
            and (not shown or by_one(slot) or slot.digits[0][:1] == b"0")
        )
        self._pieces.append(f"<{' '.join(source)}>")
        self._built.reasons += reasons
        flag = (
            {*slot.digits} == {b"0", b"1"} and slot.is_whole and not shown and not any((*slot.pre, *slot.suf))
        )
        clock = None if slot.passed else self._own_time(index, slot, name, shown, counts)
        if clock is not None:
            self._keep_time(clock)
            self._built.channels[-1].field = name
        elif (counts or slot.passed) and not slot.rising:
            self._built.reasons.append(f"{name} only counts on: passed over")
        elif flag and not self._alone() and not slot.tokens and len(slot.digits) >= ENOUGH_FLAGS:
            self._built.channels.append(ProposedChannel(name, self._title(name), "", 0, None, ("0", "1")))
            self._built.reasons.append(f"{name} is 0 or 1: a state")
        else:
            made = ProposedChannel(name, self._title(name), shown, self._decimals(slot))
            made.seen = None if units or self._ahead else _seen(slot, self._notation)
            self._built.channels.append(made)
        if units:
            self._pieces.append(units[1])
        elif any(slot.suf):
            self._behind(slot)

    def _own_time(self, index: int, slot: Slot, name: str, unit: str, counts: bool) -> Clock | None:
        """How a number is the device's own time; None where it is not. What is called otherwise is a reading, however it rises."""
        label = self._said.get(name, "")
        if self._alone() or any((*slot.signs, *slot.behind, *slot.pre)[: len(slot.signs)]) or slot.tokens:
            return None
        if (label and not counts_by_name(label) and unit not in OF_UNIT) or (unit and unit not in OF_UNIT):
            return None
        after = self._group.slots[index + 1]
        if after is not None and after.kind == "fixed" and not unit and is_unit(plain_unit(after.texts[0])):
            unit = plain_unit(after.texts[0])
            if unit not in OF_UNIT or not any(self._times):
                return None
        said = OF_UNIT.get(unit) or NAMED.get(label)
        values = [_value(one, self._notation) for one in slot.digits]
        tick = tick_of(values, self._times)
        if tick is not None:
            if glued(slot.texts) is not None:
                return None  # 093005 is a time of day, and no count of seconds
            if said is not None:
                return Clock(tick) if abs(said / tick - 1) < 1e-9 else None
            if is_date(values, tick, self._times) or label in EXPLICIT:
                return Clock(tick)
            if slot.is_whole and by_one(slot):
                return None  # it may as well count messages
            sure = 1 / tick >= SURE_FROM and not label
            return Clock(tick) if sure or self._is_time(slot, label, tick) else None
        known = any(self._times)
        return Clock(said) if said is not None and counts and not known else None

    def _is_time(self, slot: Slot, label: str, tick: float) -> bool:
        """What runs with the time may be a reading that rises as fast: a person is asked."""
        text = shown_text(slot.texts[0])
        value = _value(slot.digits[0], self._notation)
        meant = self._asking.ask(
            Question(
                f"time:{label or text}",
                f"“{text}” rises by {1 / tick:g} a second. What is it?",
                (
                    Choice("time", "the device's own time", (f"{text} → {value * tick:.10g} s",)),
                    Choice("count", "it counts something: pass it over"),
                    Choice("reading", "a reading", (f"{text} → {value:.10g}",)),
                ),
            )
        )
        slot.passed = slot.passed or meant == "count"
        slot.rising = meant == "reading"
        return meant == "time"

    def _glued(self, slot: Slot, name: str) -> bool:
        """Whether a number was a time of day without anything between its digits, and is kept as one."""
        layout = glued(slot.texts) if not self._alone() and not slot.tokens else None
        if not layout:
            return False
        seconds = [seconds_of(layout, text) or 0.0 for text in slot.texts]
        if tick_of(seconds, self._times) != 1.0:
            return False
        self._pieces.append(f"<{name}:datetime({layout})>")
        self._keep_time(Clock(1.0, DAY))
        self._built.channels[-1].field = name
        return True

    def _keep_time(self, clock: Clock) -> None:
        """A channel of the device's own time."""
        number = 1 + sum(one.clock is not None for one in self._built.channels)
        title = "Device time" if number == 1 else f"Device time {number}"
        self._built.channels.append(ProposedChannel("", title, "s", 3, clock))
        self._built.reasons.append("the device says its own time: kept beside the time of arrival")

    def _alone(self) -> bool:
        numbers = [
            one for one in self._group.slots if one is not None and one.kind in ("number", "numbers", "hex")
        ]
        return len(numbers) <= 1

    def _pre(self, slot: Slot, name: str) -> None:
        """Letters that touch a number in front: a name, or a state where they change."""
        different = list(dict.fromkeys(slot.pre))
        if len(different) == 1:
            self._pieces.append(self._literal(different[0]))
            return
        if all(is_unit(plain_unit(one)) for one in different):
            scales = one_scale([plain_unit(one) for one in different])
            assert scales is not None  # else they are kinds of their own
            unit, said = self._scaled(name, slot.digits, slot.pre, scales)
            self._ahead = unit, len(self._pieces)
            self._pieces.append(said[:-1] + f" {OF}>")
            return
        choices = "|".join(inside(one, self._codec) for one in different)
        self._pieces.append(f"<{self._state(different)}:choice({choices})>")

    def _sign(self, index: int, slot: Slot) -> bool:
        """Whether what looks like signs are some; where nobody can know it is asked."""
        signs = {one.strip() for one in slot.signs}
        blank = any(one != one.strip() for one in slot.signs)
        word_before = index > 0 and self._group.slots[index - 1] is not None
        doubtful = any(slot.pre) or (blank and word_before)
        behind = set(slot.behind)
        if behind != {b""} and signs != {b""}:
            self._trouble(slot, "signs stand in front and behind")
            return False
        bare = any(
            not sign.strip() and re.search(rb"[1-9]", one)
            for sign, one in zip(slot.signs, slot.digits, strict=True)
        )
        if b"+" in signs and bare:
            self._trouble(slot, "some numbers have a “+” and others have no sign: two things may stand here")
            return False
        lone = len(set(slot.digits)) == 1 and any(slot.pre) and behind != {b""}
        if lone and self._group.rows[0][index + 1].kind != "end":
            self._trouble(slot, "a sign stands between a name and a number")
            return False
        if any(slot.pre) and len(set(slot.digits)) > 1 and self._first_digit(slot):
            return False
        if signs == {b"-"} and doubtful and len(slot.digits) > 0:
            return self._hyphen(slot, "sign", slot.signs)
        if behind == {b"-"}:
            return self._hyphen(slot, "behind", slot.behind)
        return True

    def _first_digit(self, slot: Slot) -> bool:
        """Whether a name may end with the digit that every number begins with."""
        first = {one[:1] for one in slot.digits}
        if len(first) > 1 or first == {b"0"} or any(slot.signs) or len(slot.digits) < FIXED_AFTER:
            return False
        text, digits = shown_text(slot.texts[0]), shown_text(slot.digits[0])
        name = shown_text(slot.pre[0])
        meant = self._asking.ask(
            Question(
                f"digit:{name}",
                f"Where does the number begin in “{text}”?",
                (
                    Choice("all", f"behind {name}: {digits}", (f"{text} → {digits}",)),
                    Choice("rest", f"behind {name}{digits[0]}: I will point at it by hand"),
                ),
            )
        )
        if meant == "rest":
            self._trouble(slot, "the name ends with a digit")
            return True
        return False

    def _hyphen(self, slot: Slot, key: str, signs: Sequence[bytes]) -> bool:
        text = shown_text(slot.texts[0])
        digits = shown_text(slot.digits[0])
        meant = self._asking.ask(
            Question(
                f"{key}:{shown_text(slot.pre[0])}",
                f"Is “{text}” below zero?",
                (
                    Choice("minus", f"yes, it is -{digits}", (f"{text} → -{digits}",)),
                    Choice("hyphen", f"no, the “-” only stands there: {digits}", (f"{text} → {digits}",)),
                ),
            )
        )
        if meant == "hyphen":
            if key == "sign":
                blanks = " " if any(one != one.strip() for one in signs) else ""
                self._pieces.append(f"-{blanks}")
                slot.signs = [b"" for _ in signs]
            else:
                slot.suf = [b"-" + one for one in slot.suf]
                slot.behind = [b"" for _ in signs]
        return True

    def _options(self, name: str, slot: Slot) -> tuple[list[str], list[str]]:
        options: list[str] = []
        reasons: list[str] = []
        digits = slot.digits
        widths = {len(text) for text in slot.texts}
        plain = all(one.isdigit() for one in digits) and not any(slot.signs) and not any(slot.behind)
        bare = not any(slot.pre) and not any(slot.suf)
        if (
            plain
            and bare
            and len(widths) == 1
            and len(digits[0]) >= 4
            and any(one.startswith(b"0") for one in digits)
        ):
            options.append(str(len(digits[0])))
            reasons.append(
                f"always {len(digits[0])} digits: a fixed width (say where the decimal point is, as in {len(digits[0])}.3)"
            )
        if self._notation.comma and any(b"," in one for one in digits):
            options.append("decimal(,)")
            reasons.append(f"{name} has a decimal comma")
        thousands = self._notation.thousands
        if thousands and any(thousands in one for one in digits):
            options.append(f"thousands({thousands.decode()})")
            reasons.append(f"the thousands of {name} are parted by “{thousands.decode()}”")
        if any(slot.behind):
            options.append("sign(behind)")
            reasons.append(f"the sign of {name} stands behind its digits")
        letters = {one for text in digits for one in re.findall(rb"[dD]", text)}
        if letters:
            options.append(f"exponent({sorted(letters)[0].decode()})")
            reasons.append(f"{name} has an exponent")
        options += self._tokens(name, slot, reasons)
        return options, reasons

    def _tokens(self, name: str, slot: Slot, reasons: list[str]) -> list[str]:
        options: list[str] = []
        values = [_value(text, self._notation) for text in slot.digits]
        kinds: dict[str, list[str]] = {"over": [], "none": [], "under": []}
        if any(value == 9.9e37 for value in values):
            kinds["over"].append("9.9E37")
        if any(value == 9.91e37 for value in values):
            kinds["none"].append("9.91E37")
        pre, suf = slot.pre[0] if slot.pre else b"", slot.suf[0] if slot.suf else b""
        for token in dict.fromkeys(slot.tokens):
            bare = (
                token.removeprefix(pre).removesuffix(suf)
                if suf and token.endswith(suf)
                else token.removeprefix(pre)
            )
            what = "over" if bare in OVER else "under" if bare in UNDER else "none"
            kinds[what].append(inside(bare, self._codec))
            words = {"over": "over range", "under": "under range", "none": "no reading"}[what]
            reasons.append(
                f"“{shown_text(bare)}” stands where {name} has {words if what == 'none' else 'gone ' + words}"
            )
        for what, texts in kinds.items():
            if texts:
                options.append(f"{what}({'|'.join(dict.fromkeys(texts))})")
        return options

    def _behind(self, slot: Slot) -> None:
        """Letters that touch a number behind it and are no units that change."""
        different = list(dict.fromkeys(slot.suf))
        absent = any(not token.endswith(different[0]) for token in slot.tokens)
        if len(different) == 1:
            text = self._literal(different[0])
            self._pieces.append(f"<?{text}?>" if absent else text)
            return
        name = self._state([one for one in different if one])
        choices = "|".join(inside(one, self._codec) for one in different if one)
        said = f"<{name}:choice({choices})>"
        self._pieces.append(f"<?{said}?>" if b"" in different or slot.tokens else said)

    def _changing(self, slot: Slot, name: str) -> tuple[str, str] | None:
        """The unit that all are given in, and the field that scales, where the unit that touches a number changes."""
        units = [plain_unit(one) for one in dict.fromkeys(slot.suf)]
        if len(units) < 2 or not all(is_unit(unit) for unit in units):
            return None
        scales = one_scale(units)
        assert scales is not None  # else they are kinds of their own
        return self._scaled(name, slot.digits, slot.suf, scales)

    def _scaled(
        self, name: str, digits: Sequence[bytes], texts: Sequence[bytes], scales: dict[str, dict[str, float]]
    ) -> tuple[str, str]:
        """`digits` and the unit behind them (`texts`), message by message; b"" where there was no number."""
        different = list(dict.fromkeys(texts))
        units = [plain_unit(one) for one in different]
        pairs = dict(reversed([(text, number) for text, number in zip(texts, digits, strict=True) if number]))
        examples = [(shown_text(pairs[one]), plain_unit(one)) for one in different if one in pairs]
        asked = Question(
            key_of("unit", different),
            f"The unit changes between {' and '.join(units)}. Give all in …",
            tuple(
                Choice(
                    target,
                    target,
                    tuple(
                        f"{number} {unit} → {_value(number.encode(), self._notation) * scales[target][unit]:.6g} {target}"
                        for number, unit in examples[:2]
                    ),
                )
                for target in units
            ),
        )
        target = self._asking.ask(asked)
        if not target:
            target = units[0]
        choices = "|".join(
            f"{inside(one, self._codec)}={scales[target][unit]:.12g}"
            for one, unit in zip(different, units, strict=True)
        )
        self._built.reasons.append(f"the unit changes: all is given in {target}")
        return target, f"<{self._free(name + '_unit')}:unit({choices})>"

    def _several(self, index: int, slot: Slot) -> None:
        """Signed numbers that touch each other: told apart by their widths."""
        point = rb"," if self._notation.comma else rb"\."
        one = re.compile(rb"[+-] *\d+(?:" + point + rb"\d+)?")
        rows = [one.findall(text) for text in slot.texts]
        for column in zip(*rows, strict=True):
            widths = {len(text) for text in column}
            if len(widths) != 1:
                self._trouble(slot, "numbers touch each other, and their widths change")
                return
            name = self._free_number()
            comma = ["decimal(,)"] if self._notation.comma else []
            self._pieces.append(f"<{' '.join([name, str(widths.pop()), *comma])}>")
            self._built.channels.append(
                ProposedChannel(name, self._title(name), "", _places(column, self._notation))
            )
        self._built.reasons.append(f"{slot.parts} numbers touch each other, each with its sign")

    def _hex(self, index: int, slot: Slot) -> None:
        name = self._name(index, slot)
        signed = ""
        before = slot.pre[0]
        texts = [text[len(before) :] for text in slot.texts]
        first = {text[:1] for text in texts}
        if len(first) == 1 and (texts[0][:1].isalpha() or (before and first != {b"0"})):
            self._trouble(
                slot, "the same character stands in front that may belong to a name or to the number"
            )
            return
        often, count = Counter(texts).most_common(1)[0]
        if often.isalpha() and count >= MAX_ALIKE * len(texts):
            self._trouble(slot, "a word stands where others have hexadecimal digits")
            return
        if slot.width > 13:
            self._trouble(slot, "so many hexadecimal digits are no number that can be kept exactly")
            return
        high = next((text for text in texts if int(text[:1], 16) >= 8), None)
        if high is not None:
            value = int(high, 16)
            below = value - (1 << 4 * slot.width)
            text = shown_text(high)
            meant = self._asking.ask(
                Question(
                    f"hex:{name}",
                    f"“{text}” is hexadecimal. Can it be below zero?",
                    (
                        Choice("plain", f"no, it is {value}", (f"{text} → {value}",)),
                        Choice("signed", f"yes, it is {below}", (f"{text} → {below}",)),
                    ),
                )
            )
            signed = " signed" if meant == "signed" else ""
        self._pieces.append(f"{self._literal(before)}<{name}:hex {slot.width}{signed}>")
        self._built.channels.append(ProposedChannel(name, self._title(name), "", 0))
        self._built.reasons.append(f"{name} has letters from A to F among its digits: hexadecimal")

    def _clock(self, index: int, slot: Slot) -> None:
        if all(re.fullmatch(rb"\d+:\d\d(?::\d\d)?(?:\.\d+)?", text) for text in slot.texts):
            seconds = [_seconds(text) for text in slot.texts]
            rising = all(a <= b for a, b in itertools.pairwise(seconds)) and len(set(seconds)) > 1
            if not rising:
                text = shown_text(slot.texts[0])
                meant = self._asking.ask(
                    Question(
                        f"clock:{index}",
                        f"What is “{text}”?",
                        (
                            Choice("time", "the time of day, or a running clock: pass it over"),
                            Choice(
                                "duration",
                                f"a measured time: {_seconds(slot.texts[0]):g} s",
                                (f"{text} → {_seconds(slot.texts[0]):g} s",),
                            ),
                            Choice("hand", "neither: I will point at it by hand"),
                        ),
                    )
                )
                if meant == "hand":
                    self._trouble(slot, "digits stand on both sides of a “:”")
                    return
                if meant == "duration":
                    name = self._name(index, slot)
                    self._pieces.append(f"<{name}:duration [s]>")
                    self._built.channels.append(ProposedChannel(name, self._title(name), "s", 1))
                    return
        name = self._free("clock")
        said = self._moment(slot)
        widths = {len(text) for text in slot.texts}
        if said is not None:
            kind, clock = said
            self._pieces.append(f"<{name}:{kind}>")
            self._keep_time(clock)
            self._built.channels[-1].field = name
            return
        self._pieces.append(f"<{name}:text {widths.pop()}>" if len(widths) == 1 else f"<{name}:text>")
        self._built.reasons.append("a date or a time of day is passed over")

    def _moment(self, slot: Slot) -> tuple[str, Clock] | None:
        """The kind of field that reads a time, and how it is the device's own; None where that is not certain."""
        if all(re.fullmatch(rb"\d+:\d\d(?::\d\d)?(?:\.\d+)?", text) for text in slot.texts):
            values = [_seconds(text) for text in slot.texts]
            parts = {text.count(b":") for text in slot.texts}
            if not any(self._times):
                return ("duration", Clock(1.0, DAY)) if parts == {2} else None
            return ("duration", Clock(1.0, DAY)) if tick_of(values, self._times) == 1.0 else None
        layout = layout_of(slot.texts)
        if layout is None:
            return None
        seconds = [seconds_of(layout, text) for text in slot.texts]
        if any(b is None or a is None or b < a for a, b in itertools.pairwise(seconds)):
            return None
        width = len(slot.texts[0]) if len({len(text) for text in slot.texts}) == 1 and not layout else 0
        kind = f"datetime({layout})" if layout else f"datetime {width}" if width else "datetime"
        return kind, Clock(1.0, wraps_after(layout))

    def _state(self, texts: Sequence[bytes], index: int = -1) -> str:
        """The name of a field that is a word; a channel where its words are few."""
        before, mark = self._before(index) if index >= 0 else (b"", b"")
        label = _plain(before.decode("latin-1")) if mark in (b"=", b":") else ""
        name = self._free(label or "state")
        words = tuple(shown_text(one) for one in texts)
        if 1 < len(words) <= MAX_STATES and all(word.isascii() and word.isprintable() for word in words):
            self._built.channels.append(ProposedChannel(name, self._title(name), "", 0, None, words))
        return name

    def _is_switch(self, index: int, slot: Slot) -> bool:
        """Whether a word that has not changed yet says how something stands that can be switched: “pump=ON”. What says whether a number
        is good (OK, FAULT) or what it is in (C, psi) is none: a message in which that changes must not be read like the others."""
        before, mark = self._before(index)
        return bool(before) and mark in (b"=", b":") and slot.texts[0].decode("latin-1").upper() in SWITCHED

    def _switch(self, index: int, slot: Slot) -> None:
        word = shown_text(slot.texts[0])
        other = OTHER.get(word)
        name = self._state([slot.texts[0], *([other.encode()] if other else [])], index)
        self._pieces.append(f"<{name}:word>" if self._ends(index) else f"<{name}:text>")
        what = "a state" if other else "it is read as a word, and makes no channel yet"
        self._built.reasons.append(f"“{word}” has not changed, but it can: {what}")

    def _ends(self, index: int) -> bool:
        """Whether a cell ends at a blank, or with its message."""
        blank = all(row[index + 1].blanks for row in self._group.rows)
        return self._group.rows[0][index + 1].kind == "end" or blank

    def _word(self, index: int, slot: Slot) -> None:
        at = slot.beside
        units = [plain_unit(one) for one in dict.fromkeys(slot.texts)]
        if at is not None and all(is_unit(unit) for unit in units):
            number = self._group.slots[at]
            scales = one_scale(units)
            if number is None or number.kind != "number" or any(number.suf) or scales is None:
                self._trouble(slot, "the unit of a number changes in a way that cannot be followed")
                return
            name = self._names_at.get(at, "value")
            unit, said = self._scaled(name, _aligned(number), slot.texts, scales)
            if at > index:
                self._ahead = unit, len(self._pieces)
                said = said[:-1] + f" {OF}>"
            else:
                self._put_unit(name, unit)
            self._pieces.append(said)
            return
        name = self._state(sorted(set(slot.texts)), index)
        self._pieces.append(f"<{name}:word>" if self._ends(index) else f"<{name}:text>")
        words = " and ".join(sorted(f"“{shown_text(one)}”" for one in set(slot.texts))[:3])
        self._built.reasons.append(f"{words} change: a state")

    def _put_unit(self, name: str, unit: str) -> None:
        """A number that was written already gets the unit that all are given in."""
        for number, piece in enumerate(self._pieces):
            if re.match(rf"<{re.escape(name)}(?=[ >])", piece):
                self._pieces[number] = f"{piece[:-1]} [{unit}]>"
        for channel in self._built.channels:
            if channel.field == name:
                channel.unit = unit

    # ---- names and units

    def _before(self, index: int) -> tuple[bytes, bytes]:
        """The fixed word before a cell, and the mark between them (b"" for a blank)."""
        slots, row = self._group.slots, self._group.rows[0]
        at, mark = index - 1, b""
        if at >= 0 and slots[at] is None and row[at].text in (b"=", b":", b"(", b">"):
            mark, at = row[at].text, at - 1
        slot = slots[at] if at >= 0 else None
        if slot is None or slot.kind != "fixed" or not re.search(rb"[A-Za-z]", slot.texts[0]):
            return b"", mark
        text = slot.texts[0]
        behind_number = at > 0 and slots[at - 1] is not None and slots[at - 1].kind in ("number", "hex")  # type: ignore[union-attr]
        if not mark and behind_number and is_unit(plain_unit(text)):
            return b"", mark
        return text, mark

    def _name(self, index: int, slot: Slot) -> str:
        if self._names:
            number = sum(one is not None for one in self._group.slots[:index])
            return self._free(_plain(self._names[number]) or f"c{number + 1}")
        pres = set(slot.pre)
        label = next(iter(pres)) if len(pres) == 1 and any(slot.pre) else self._before(index)[0]
        name = _plain(label.decode("latin-1"))
        if name:
            made = self._free(name)
            self._labels.append(made)
            self._said[made] = name
            return made
        return self._free_number()

    def _title(self, name: str) -> str:
        return name.replace("_", " ").capitalize()

    def _free(self, name: str) -> str:
        number, made = 1, name
        while made in self._taken:
            number += 1
            made = f"{name}{number}"
        self._taken.add(made)
        return made

    def _free_number(self) -> str:
        number = 1
        while f"v{number}" in self._taken:
            number += 1
        self._taken.add(f"v{number}")
        return f"v{number}"

    def _unit(self, index: int, slot: Slot) -> str:
        """The unit that always stands behind a number."""
        sufs = set(slot.suf)
        text = next(iter(sufs)) if len(sufs) == 1 else b""
        if len(sufs) > 1:
            return ""
        rest, row = self._group.slots[index + 1 :], self._group.rows[0][index + 1 :]
        longest = ""
        for number, (following, part) in enumerate(zip(rest, row, strict=True)):
            if part.kind == "end" or (part.blanks and (text or number > 0)):
                break
            if following is None:
                if part.text not in (b"/", b"^", b"[", b"]", b"(", b")") or part.blanks:
                    break
                text += part.text
            elif following.kind == "fixed":
                after = self._group.rows[0][index + number + 2]
                if after.kind in ("cell", "clock") and not after.blanks:
                    break  # a name that touches the next number
                text += following.texts[0]
            else:
                break
            if is_unit(unit := plain_unit(text.strip(b"[]()"))):
                longest = unit
            elif b"/" in text and not text.endswith(b"/"):
                longest = ""  # “kg/box” is no weight in kg
        own = next(iter(sufs)) if sufs else b""
        if longest and not any(slot.suf) and self._words_lead(index):
            longest = ""  # “8 A -2”: words stand in front of their numbers here
        if not longest and is_unit(plain_unit(own)):
            longest = plain_unit(own)
        return {"C": "°C", "degC": "°C", "degF": "°F"}.get(longest, longest)

    def _words_lead(self, index: int) -> bool:
        """Whether the word behind a number stands in front of another one, and the last number has none behind it."""
        slots = [one for one in self._group.slots if one is not None]
        own = sum(one is not None for one in self._group.slots[:index])
        last = slots[-1]
        numeric = last.kind == "number" and not any(last.suf)
        return numeric and own + 2 < len(slots) and slots[own + 2].kind in ("number", "hex")

    def _decimals(self, slot: Slot) -> int:
        return _places(slot.digits, self._notation)


def _aligned(slot: Slot) -> list[bytes]:
    """The digits of each message; b"" where a token stood instead."""
    tokens, digits = set(slot.tokens), iter(slot.digits)
    return [b"" if text in tokens else next(digits) for text in slot.texts]


def _places(digits: Sequence[bytes], notation: Notation) -> int:
    point = b"," if notation.comma else b"."
    return max((decimals_of(text, point) for text in digits), default=2)


def _seen(slot: Slot, notation: Notation) -> tuple[float, float] | None:
    """The lowest and highest number that stood there; None where there were none, or endless ones."""
    values = [
        -_value(digits, notation) if b"-" in sign + behind else _value(digits, notation)
        for sign, digits, behind in zip(slot.signs, slot.digits, slot.behind, strict=True)
    ]
    values = [value for value in values if abs(value) < 1e30]
    return (min(values), max(values)) if values else None


def _value(text: bytes, notation: Notation) -> float:
    plain = text.replace(notation.thousands, b"") if notation.thousands else text
    plain = plain.replace(b",", b".") if notation.comma else plain
    try:
        return float(re.sub(rb"[dD]", b"e", plain))
    except ValueError:
        return 0.0


def _seconds(text: bytes) -> float:
    total = 0.0
    for part in text.split(b":"):
        total = total * 60 + float(part)
    return total


def _plain(label: str) -> str:
    name = re.sub(r"\W+", "_", label, flags=re.ASCII).strip("_").lower()
    return name if name and not name[0].isdigit() else f"n{name}" if name else ""
