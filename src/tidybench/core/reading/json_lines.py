"""JSON, one value a message (RFC 8259)."""

import json
import math
from typing import Any

from tidybench.core.quality import Quality
from tidybench.core.reading.element import NOTHING, Element, Field, convert
from tidybench.core.reading.form import Read, shown_cell
from tidybench.core.reading.stop import Stop

MAX_FIELDS = 1000
DEEPEST = 20
_NUMBER = Element(1, "number")


class JsonForm:
    """Fields are called by their path: `sensor.temp`, `v.0`. Numbers are numbers or texts that are one;
    null is no reading; true and false are 1 and 0. A path that is not in a message says nothing."""

    numbers = None

    def __init__(self, wanted: frozenset[str] = frozenset()) -> None:
        self._wanted = wanted

    def read(self, message: bytes) -> Read:
        try:
            data = json.loads(message, parse_constant=_refuse)
        except json.JSONDecodeError as error:
            return Stop(error.pos + 1, "JSON", shown_cell(message[error.pos : error.pos + 10]))
        except (ValueError, RecursionError) as error:
            return Stop(1, "JSON", str(error)[:80])
        if not isinstance(data, dict | list):
            return Stop(1, "a JSON object", shown_cell(message[:20]))
        fields: dict[str, Field] = {}
        _flatten(data, "", fields, 0)
        for name in sorted(self._wanted & fields.keys()):
            if isinstance(fields[name][1], str):
                return Stop(1, f"a number ({name})", f"“{fields[name][1]}”")
        return fields


def _refuse(name: str) -> float:
    raise ValueError(f"{name}, which is not JSON")


def _flatten(value: Any, path: str, fields: dict[str, Field], depth: int) -> None:
    if len(fields) >= MAX_FIELDS or depth > DEEPEST:
        return
    if isinstance(value, dict | list):
        items = value.items() if isinstance(value, dict) else ((str(n), one) for n, one in enumerate(value))
        for key, one in items:
            _flatten(one, f"{path}.{key}" if path else key, fields, depth + 1)
    else:
        fields[path] = _leaf(value)


def _leaf(value: Any) -> Field:
    if value is None:
        return NOTHING
    if isinstance(value, str):
        raw = value.encode("latin-1", "replace")
        return (convert(_NUMBER, raw) if value.strip() else None) or (Quality.OK, value)
    try:
        number = float(value)
    except OverflowError:
        number = math.inf
    return (Quality.OK, number) if math.isfinite(number) else (Quality.OK, "a number beyond all range")
