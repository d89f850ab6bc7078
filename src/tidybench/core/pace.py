"""When a line of a recorded text was written, by what stands at its head."""

import re
from datetime import datetime

_ISO = re.compile(rb'\s*"?(\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\d(?:[.,]\d+)?(?:Z|[+-]\d\d:?\d\d)?)')
_CLOCK = re.compile(rb'\s*"?(\d\d):(\d\d):(\d\d(?:[.,]\d+)?)')
_SECONDS = re.compile(rb'\s*"?(\d+(?:\.\d+)?)(?=[\s,;\t"])')


def time_at_head(line: bytes) -> float | None:
    """Seconds, on a scale of the text's own: an ISO 8601 time, a clock time, or a number of seconds at
    the beginning of the line; None where there is none of them."""
    found = _ISO.match(line)
    if found:
        try:
            return datetime.fromisoformat(found[1].decode().replace(",", ".")).timestamp()
        except ValueError:
            return None
    found = _CLOCK.match(line)
    if found:
        return int(found[1]) * 3600 + int(found[2]) * 60 + float(found[3].replace(b",", b"."))
    found = _SECONDS.match(line)
    return float(found[1]) if found else None
