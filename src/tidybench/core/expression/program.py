"""An expression made ready: units checked, functions bound. It takes the channels' values and gives its own."""

import difflib
import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from tidybench.core.expression.tokens import ExpressionError
from tidybench.core.expression.tree import (
    COMPARISONS,
    Call,
    ChannelRef,
    Node,
    Number,
    Pair,
    Signed,
    UnitName,
    parse,
)
from tidybench.core.expression.windows import MAKERS, Integral, Since, Window
from tidybench.core.units import (
    Unit,
    UnitError,
    added,
    compared,
    conversion,
    multiplied,
    powered,
    stretch,
    subtracted,
    unit_of,
)

MAX_NODES = 500
MAX_WINDOW = 86_400.0
"""Seconds."""

CONSTANTS = {"pi": math.pi, "e": math.e}


class Nothing(Exception):
    """It gives no value this time; says why. `silent`: an input is missing, which is said elsewhere."""

    def __init__(self, why: str, silent: bool = False) -> None:
        self.silent = silent
        super().__init__(why)


Values = list[float | None]
Evaluate = Callable[[Values], float]


@dataclass(slots=True, frozen=True)
class Operand:
    """A part of an expression, made ready. `unit` is None for a condition (1 or 0)."""

    unit: Unit | None
    evaluate: Evaluate
    constant: float | None = None


@dataclass(slots=True)
class _Memory:
    window: Window
    of: Evaluate
    slot: int


@dataclass(slots=True)
class Program:
    """`inputs`: the channels it needs, by id, in the order they are first named. `unit`: what its values are in. `condition`: it is one,
    and gives 1 or 0."""

    text: str
    inputs: list[str]
    unit: Unit
    _evaluate: Evaluate
    _memories: list[_Memory] = field(default_factory=list)
    _slots: int = 0
    condition: bool = False

    def value(self, at: int, inputs: Values) -> float:
        """Its value at a time (microseconds), from those of its inputs (None: there is none).

        Raises Nothing where none comes of it. What it remembers is fed in any case.
        """
        values = inputs + [None] * (self._slots - len(inputs)) if self._slots > len(inputs) else inputs
        for memory in self._memories:
            try:
                found = memory.of(values)
                now = found if found - found == 0.0 else None
            except (Nothing, OverflowError, ValueError):
                now = None
            values[memory.slot] = memory.window.take(at, now)
        try:
            found = self._evaluate(values)
        except OverflowError:
            raise Nothing("the outcome is too large a number") from None
        except ValueError:  # of something endless on the way: it has no whole number, no remainder
            raise Nothing("the outcome is no number") from None
        if found - found != 0.0:
            raise Nothing("the outcome is no number")
        return found

    def state(self) -> list[Any]:
        """What it remembers, as JSON."""
        return [memory.window.state() for memory in self._memories]

    def restore(self, state: list[Any]) -> None:
        """Take up what `state` gave, of the same expression."""
        for memory, kept in zip(self._memories, state, strict=True):
            memory.window.restore(kept)


def compiled(
    text: str, units: Mapping[str, str], target: str | None = None, constant: bool = False
) -> Program:
    """An expression made ready. `units`: of every channel there is, by id; `target`: the unit its values are wanted in; `constant`: it
    may name no channel.

    Raises ExpressionError with the column.
    """
    return _Compiler(text, units).program(target, constant)


def _nearest(name: str, names: Mapping[str, object] | set[str]) -> str:
    found = difflib.get_close_matches(name, list(names), 1, 0.6)
    return found[0] if found else ""


class _Compiler:
    def __init__(self, text: str, units: Mapping[str, str]) -> None:
        self._text, self._units = text, units
        self._inputs: list[str] = []
        self._memories: list[_Memory] = []
        self._pending: list[tuple[Window, Evaluate, list[int]]] = []
        self._nodes = 0

    def program(self, target: str | None, constant: bool) -> Program:
        tree = parse(self._text)
        part = self._part(tree)
        unit = part.unit if part.unit is not None else unit_of("")
        evaluate = part.evaluate
        if target is not None:
            wanted = self._unit(1, target)
            if part.unit is None and not wanted.is_number:
                raise ExpressionError(1, f"a condition is 1 or 0 and has no unit, but {wanted} is wanted")
            try:
                scale, offset = self._conversion(unit, wanted)
            except UnitError as error:
                raise ExpressionError(
                    1, f"it comes out in {unit}, but {wanted} is wanted. {error}"
                ) from error
            evaluate, unit = _scaled(evaluate, scale, offset), wanted
        if not self._inputs and not constant:
            raise ExpressionError(1, "it names no channel: a channel is calculated from others")
        count = len(self._inputs)
        for index, (window, of, box) in enumerate(self._pending):
            box[0] = count + index
            self._memories.append(_Memory(window, of, count + index))
        slots = count + len(self._pending)
        return Program(self._text, self._inputs, unit, evaluate, self._memories, slots, part.unit is None)

    @staticmethod
    def _conversion(source: Unit, target: Unit) -> tuple[float, float]:
        if source.delta:
            return stretch(source, target), 0.0
        return conversion(source, target)

    def _unit(self, column: int, label: str) -> Unit:
        try:
            return unit_of(label)
        except UnitError as error:
            raise ExpressionError(column, str(error)) from error

    def _part(self, node: Node) -> Operand:
        self._nodes += 1
        if self._nodes > MAX_NODES:
            raise ExpressionError(node.column, f"an expression has at most {MAX_NODES} parts")
        if isinstance(node, Number):
            value = node.value
            return Operand(self._unit(node.column, node.unit or ""), lambda _: value, value)
        if isinstance(node, ChannelRef):
            return self._channel(node)
        if isinstance(node, Signed):
            return self._signed(node)
        if isinstance(node, Pair):
            return self._pair(node)
        if isinstance(node, UnitName):
            raise ExpressionError(node.column, f"the unit [{node.unit}] stands behind no number")
        return self._call(node)

    def _channel(self, node: ChannelRef) -> Operand:
        if node.id not in self._units:
            if node.id in CONSTANTS:
                value = CONSTANTS[node.id]
                return Operand(unit_of(""), lambda _: value, value)
            near = _nearest(node.id, self._units) or _nearest(node.id, FUNCTIONS)
            hint = f"; perhaps “{near}” is meant" if near else ""
            raise ExpressionError(node.column, f"there is no channel “{node.id}”{hint}")
        if node.id not in self._inputs:
            self._inputs.append(node.id)
        slot = self._inputs.index(node.id)

        def evaluate(values: Values) -> float:
            value = values[slot]
            if value is None:
                raise Nothing(f"“{node.id}” has no value", silent=True)
            return value

        return Operand(self._unit(node.column, self._units[node.id]), evaluate)

    def _signed(self, node: Signed) -> Operand:
        part = self._part(node.of)
        of = part.evaluate
        if node.sign == "not":
            self._condition(part, node.of)
            return Operand(None, lambda values: 1.0 - of(values))
        unit = self._number(part, node.of)
        constant = -part.constant if part.constant is not None else None
        return Operand(unit, lambda values: -of(values), constant)

    def _pair(self, node: Pair) -> Operand:
        left, right = self._part(node.left), self._part(node.right)
        a, b = left.evaluate, right.evaluate
        sign, column = node.sign, node.column
        if sign in ("and", "or"):
            self._condition(left, node.left)
            self._condition(right, node.right)
            if sign == "and":
                return Operand(None, lambda v: b(v) if a(v) else 0.0)
            return Operand(None, lambda v: 1.0 if a(v) else b(v))
        first, second = self._number(left, node.left), self._number(right, node.right)
        try:
            if sign in COMPARISONS:
                compared(first, second)
                return Operand(None, _compare(sign, a, self._into(second, b, first)))
            if sign == "+":
                unit = added(first, second)
                if second.is_temperature and not first.is_temperature:
                    a, factor = b, stretch(first, second)
                    b = _scaled(left.evaluate, factor, 0.0)
                else:
                    b = _scaled(b, stretch(second, first), 0.0)
                x, y = a, b
                return Operand(unit, lambda v: x(v) + y(v))
            if sign == "-":
                unit = subtracted(first, second)
                both = first.is_temperature and second.is_temperature
                b = self._into(second, b, first) if both else _scaled(b, stretch(second, first), 0.0)
                y = b
                return Operand(unit, lambda v: a(v) - y(v))
            if sign == "*":
                return Operand(multiplied(first, second), lambda v: a(v) * b(v), _folded(left, right, "*"))
            if sign == "/":
                return Operand(
                    multiplied(first, second, divide=True), _divide(a, b), _folded(left, right, "/")
                )
        except UnitError as error:
            plain = sign in ("*", "/")
            sentence = str(error) if plain else _hinted(str(error), left, right, first, second)
            raise ExpressionError(column, sentence) from error
        return self._power(node, left, right, first, second)

    def _power(self, node: Pair, left: Operand, right: Operand, first: Unit, second: Unit) -> Operand:
        if not second.is_number:
            raise ExpressionError(node.right.column, f"an exponent has no unit; this one is in {second}")
        a, b = left.evaluate, right.evaluate
        if first.is_number and str(first.pint) == "dimensionless":
            unit = first
        elif right.constant is None:
            raise ExpressionError(
                node.right.column, f"what has a unit ({first}) takes a fixed exponent, like 2"
            )
        else:
            try:
                unit = powered(first, right.constant)
            except UnitError as error:
                raise ExpressionError(node.column, str(error)) from error

        def evaluate(values: Values) -> float:
            base, exponent = a(values), b(values)
            try:
                found = base**exponent
            except ZeroDivisionError:
                raise Nothing("a division by zero: 0 to a negative power") from None
            if isinstance(found, complex):
                raise Nothing("a root of a negative value")
            return float(found)

        return Operand(unit, evaluate)

    def _into(self, source: Unit, evaluate: Evaluate, target: Unit) -> Evaluate:
        return _scaled(evaluate, *self._conversion(source, target))

    @staticmethod
    def _number(part: Operand, node: Node) -> Unit:
        if part.unit is None:
            raise ExpressionError(
                node.column, "this is a condition, and a value is expected: if(condition, a, b)"
            )
        return part.unit

    @staticmethod
    def _condition(part: Operand, node: Node) -> None:
        if part.unit is not None:
            raise ExpressionError(node.column, "a condition is expected here, like x > 0 [bar]")

    # ---- functions

    def _call(self, node: Call) -> Operand:
        name = node.name
        least, most = FUNCTIONS.get(name, (-1, -1))
        if least < 0:
            near = _nearest(name, FUNCTIONS)
            raise ExpressionError(
                node.column,
                f"there is no function “{name}”" + (f"; perhaps {near}(…) is meant" if near else ""),
            )
        given = len(node.arguments)
        if not least <= given <= most:
            wants = str(least) if least == most else f"{least} or more" if most > 50 else f"{least} to {most}"
            raise ExpressionError(node.column, f"{name}(…) takes {wants} values; {given} are given")
        if name == "in":
            return self._in(node)
        if name in MAKERS or name in ("integral", "time_since"):
            return self._window(node)
        parts = [self._part(argument) for argument in node.arguments]
        if name == "if":
            return self._if(node, parts)
        units = [self._number(part, one) for part, one in zip(parts, node.arguments, strict=True)]
        try:
            return self._plain_call(node, parts, units)
        except UnitError as error:
            raise ExpressionError(node.column, f"{name}(…): {error}") from error

    def _plain_call(self, node: Call, parts: list[Operand], units: list[Unit]) -> Operand:
        name = node.name
        of = parts[0].evaluate
        if name in ("min", "max", "mean"):
            for unit in units[1:]:
                compared(units[0], unit, "taken together with")
            all_of = [
                of,
                *(self._into(u, p.evaluate, units[0]) for p, u in zip(parts[1:], units[1:], strict=True)),
            ]
            gather = GATHERING[name]
            return Operand(units[0], lambda v: gather([one(v) for one in all_of]))
        if name in SAME:
            function = SAME[name]
            return Operand(units[0], lambda v: float(function(of(v))))
        if name == "sqrt":
            return Operand(powered(units[0], 0.5), _guarded(math.sqrt, of, "a root of a negative value"))
        if name == "sign":
            return Operand(unit_of(""), lambda v: math.copysign(1.0, x) if (x := of(v)) else 0.0)
        if name in ("decibel_power", "decibel_field"):
            compared(units[0], units[1], "compared with")
            reference = self._into(units[1], parts[1].evaluate, units[0])
            times = 10.0 if name == "decibel_power" else 20.0
            ratio = _divide(of, reference)
            log = _guarded(math.log10, ratio, "a logarithm of nothing or of a negative value")
            return Operand(unit_of("dB"), lambda v: times * log(v))
        # What is left takes and gives plain numbers (angles in radians).
        if not units[0].is_number:
            raise UnitError(f"it takes a number without unit, not {units[0]}. Divide by a reference first.")
        of = _scaled(of, *conversion(units[0], unit_of("rad" if name in TURNING else "")))
        given = unit_of("rad") if name in ("asin", "acos", "atan") else unit_of("")
        return Operand(given, _guarded(NUMBERS[name], of, WHY.get(name, "the outcome is no number")))

    def _if(self, node: Call, parts: list[Operand]) -> Operand:
        self._condition(parts[0], node.arguments[0])
        units = [self._number(p, n) for p, n in zip(parts[1:], node.arguments[1:], strict=True)]
        try:
            compared(units[0], units[1], "given beside")
            other = self._into(units[1], parts[2].evaluate, units[0])
        except UnitError as error:
            raise ExpressionError(node.arguments[2].column, str(error)) from error
        condition, first = parts[0].evaluate, parts[1].evaluate
        return Operand(units[0], lambda v: first(v) if condition(v) else other(v))

    def _in(self, node: Call) -> Operand:
        part = self._part(node.arguments[0])
        source = self._number(part, node.arguments[0])
        wanted = node.arguments[1]
        if not isinstance(wanted, UnitName):
            raise ExpressionError(wanted.column, "in(…) takes a value and a unit in brackets: in(x, [kPa])")
        target = self._unit(wanted.column, wanted.unit)
        try:
            return Operand(target, self._into(source, part.evaluate, target))
        except UnitError as error:
            raise ExpressionError(node.column, str(error)) from error

    def _window(self, node: Call) -> Operand:
        name = node.name
        part = self._part(node.arguments[0])
        unit = unit_of("s")
        if name == "time_since":
            self._condition(part, node.arguments[0])
            return self._remember(unit_of("s"), Since(), part.evaluate)
        unit = self._number(part, node.arguments[0])
        span = self._span(node.arguments[1]) if len(node.arguments) > 1 else None
        try:
            if name == "integral":
                return self._remember(multiplied(unit, unit_of("s")), Integral(span), part.evaluate)
            assert span is not None
            if name == "rate":
                change = replace(unit, delta=True) if unit.is_temperature else unit
                unit = multiplied(change, unit_of("s"), divide=True)
            elif name == "sd_over" and unit.is_temperature:
                unit = subtracted(unit, unit)
        except UnitError as error:
            raise ExpressionError(node.column, str(error)) from error
        return self._remember(unit, MAKERS[name](span), part.evaluate)

    def _span(self, node: Node) -> int:
        part = self._part(node)
        unit = self._number(part, node)
        if part.constant is None or unit.dimension != "[time]":
            raise ExpressionError(node.column, "a window is a fixed time with its unit: 10 [s]")
        seconds = part.constant * conversion(unit, unit_of("s"))[0]
        if not 0 < seconds <= MAX_WINDOW:
            raise ExpressionError(node.column, "a window lasts more than 0 s and at most a day")
        return round(seconds * 1e6)

    def _remember(self, unit: Unit, window: Window, of: Evaluate) -> Operand:
        box = [0]
        self._pending.append((window, of, box))

        def evaluate(values: Values) -> float:
            value = values[box[0]]
            if value is None:
                raise Nothing("a window without values", silent=True)
            return value

        return Operand(unit, evaluate)


def _scaled(evaluate: Evaluate, scale: float, offset: float) -> Evaluate:
    if scale == 1.0 and offset == 0.0:
        return evaluate
    if offset == 0.0:
        return lambda v: evaluate(v) * scale
    return lambda v: evaluate(v) * scale + offset


def _folded(left: Operand, right: Operand, sign: str) -> float | None:
    if left.constant is None or right.constant is None or (sign == "/" and not right.constant):
        return None
    return left.constant * right.constant if sign == "*" else left.constant / right.constant


def _divide(a: Evaluate, b: Evaluate) -> Evaluate:
    def evaluate(values: Values) -> float:
        below = b(values)
        if below == 0.0:
            raise Nothing("a division by zero")
        return a(values) / below

    return evaluate


def _compare(sign: str, a: Evaluate, b: Evaluate) -> Evaluate:
    return {
        "<": lambda v: float(a(v) < b(v)),
        "<=": lambda v: float(a(v) <= b(v)),
        ">": lambda v: float(a(v) > b(v)),
        ">=": lambda v: float(a(v) >= b(v)),
        "=": lambda v: float(a(v) == b(v)),
        "!=": lambda v: float(a(v) != b(v)),
    }[sign]


def _guarded(function: Callable[[float], float], of: Evaluate, why: str) -> Evaluate:
    def evaluate(values: Values) -> float:
        try:
            return function(of(values))
        except ValueError:
            raise Nothing(why) from None

    return evaluate


def _hinted(sentence: str, left: Operand, right: Operand, first: Unit, second: Unit) -> str:
    """A plain number beside something with a unit: most likely its unit was forgotten."""
    for part, unit, other in ((right, second, first), (left, first, second)):
        if part.constant is not None and not unit.label and other.label:
            return f"{sentence} Give the number its unit: {part.constant:g} [{other.label}]."
    return sentence


def _mean(found: list[float]) -> float:
    return sum(found) / len(found)


GATHERING: dict[str, Callable[[list[float]], float]] = {"min": min, "max": max, "mean": _mean}
SAME: dict[str, Callable[[float], float]] = {
    "abs": abs,
    "round": round,
    "floor": math.floor,
    "ceil": math.ceil,
}
TURNING = ("sin", "cos", "tan")
NUMBERS: dict[str, Callable[[float], float]] = {
    "exp": math.exp,
    "ln": math.log,
    "log10": math.log10,
    "sin": math.sin,
    "cos": math.cos,
    "tan": math.tan,
    "asin": math.asin,
    "acos": math.acos,
    "atan": math.atan,
}
WHY = {
    "ln": "a logarithm of nothing or of a negative value",
    "log10": "a logarithm of nothing or of a negative value",
    "asin": "an arc sine of more than 1",
    "acos": "an arc cosine of more than 1",
}
FUNCTIONS: dict[str, tuple[int, int]] = {
    **dict.fromkeys(["abs", "round", "floor", "ceil", "sqrt", "sign", *NUMBERS], (1, 1)),
    **dict.fromkeys(["min", "max", "mean"], (1, 100)),
    "if": (3, 3),
    "in": (2, 2),
    "decibel_power": (2, 2),
    "decibel_field": (2, 2),
    **dict.fromkeys(MAKERS, (2, 2)),
    "integral": (1, 2),
    "time_since": (1, 1),
}
"""How many values each function takes."""
