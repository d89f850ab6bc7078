"""Dates and times of day as instruments write them: ISO 8601 (its decimals behind a point), or a layout of their own."""

import re
from datetime import UTC, datetime, timedelta
from functools import lru_cache

_PARTS = {
    "YYYY": rb"(?P<year>[0-9]{4})",
    "YY": rb"(?P<short>[0-9]{2})",
    "MM": rb"(?P<month>[0-9]{2})",
    "DD": rb"(?P<day>[0-9]{2})",
    "hh": rb"(?P<hour>[0-9]{2})",
    "mm": rb"(?P<minute>[0-9]{2})",
    "ss": rb"(?P<second>[0-9]{2})",
    "f": rb"(?P<part>[0-9]++)",
    "Z": rb"(?P<zone>Z|[+-][0-9]{2}(?::?+[0-9]{2})?+)",
}
_PIECE = re.compile("|".join(_PARTS) + r"|[A-Za-z]|[^A-Za-z]+")
_ISO = (
    rb"(?P<year>[0-9]{4})-?+(?P<month>[0-9]{2})-?+(?P<day>[0-9]{2})[T ]?+(?P<hour>[0-9]{2}):?+(?P<minute>[0-9]{2})"
    rb"(?::?+(?P<second>[0-9]{2})(?:\.(?P<part>[0-9]++))?+)?+(?P<zone>Z|[+-][0-9]{2}(?::?+[0-9]{2})?+)?+"
)  # fmt: skip
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


def layout_problem(layout: str) -> str:
    """What keeps a layout from being one; "" for nothing. No layout at all is ISO 8601."""
    if not layout:
        return ""
    pieces = _PIECE.findall(layout)
    parts = [piece for piece in pieces if piece in _PARTS]
    odd = next((piece for piece in pieces if piece.isalpha() and piece not in _PARTS and piece != "T"), None)
    if odd is not None:
        return f"“{odd}” says nothing in a layout: its parts are {', '.join(_PARTS)}"
    twice = next((part for part in parts if parts.count(part) > 1), None)
    if twice is not None or ("YYYY" in parts and "YY" in parts):
        return f"{twice or 'the year'} stands there twice"
    if "hh" not in parts or "mm" not in parts:
        return "a layout has at least hh and mm"
    dated = ("YYYY" in parts or "YY" in parts, "MM" in parts, "DD" in parts)
    if any(dated) and not all(dated):
        return "a date has a year, MM and DD"
    at = parts.index("f") if "f" in parts else -1
    if at >= 0 and "ss" not in parts[:at]:
        return "f, the decimals of a second, stands behind ss"
    return ""


def has_date(layout: str) -> bool:
    """Whether it names a day: else what it reads is the time since midnight."""
    return not layout or "DD" in layout


@lru_cache
def expression_of(layout: str) -> bytes:
    """The regular expression of what is written so, without groups."""
    return re.sub(rb"\?P<\w+>", b"?:", _named(layout))


def _named(layout: str) -> bytes:
    if not layout:
        return _ISO
    return b"".join(_PARTS.get(piece) or re.escape(piece.encode()) for piece in _PIECE.findall(layout))


@lru_cache
def _pattern(layout: str) -> "re.Pattern[bytes]":
    return re.compile(_named(layout))


def seconds_of(layout: str, text: bytes) -> float | None:
    """Seconds since 1970 UTC (without a zone: as if it were UTC), or since midnight where there is no date. None for a
    day or an hour that there is not."""
    found = _pattern(layout).fullmatch(text.strip(b" "))
    if found is None:
        return None
    got = found.groupdict()
    hour, minute, second = (int(got.get(key) or 0) for key in ("hour", "minute", "second"))
    if hour > 23 or minute > 59 or second > 60:
        return None
    part = got.get("part")
    total: float = hour * 3600 + minute * 60 + second
    if has_date(layout):
        year = int(got["year"]) if got.get("year") else 2000 + int(got["short"])
        try:
            total += (datetime(year, int(got["month"]), int(got["day"]), tzinfo=UTC) - _EPOCH).total_seconds()
        except ValueError:
            return None
    total -= _offset(got.get("zone"))
    return total + (int(part) / 10 ** len(part) if part else 0.0)


def _offset(zone: bytes | None) -> int:
    """Seconds that a zone is ahead of UTC."""
    if zone is None or zone == b"Z":
        return 0
    digits = zone[1:].replace(b":", b"")
    seconds = int(digits[:2]) * 3600 + int(digits[2:] or 0) * 60
    return -seconds if zone[:1] == b"-" else seconds


def written(layout: str, seconds: float) -> str:
    """A time as it is sent, in UTC; its milliseconds where the layout has decimals."""
    moment = _EPOCH + timedelta(milliseconds=round(seconds * 1000))
    plain = layout or "YYYY-MM-DDThh:mm:ss.fZ"
    made = {
        "YYYY": f"{moment:%Y}", "YY": f"{moment:%y}", "MM": f"{moment:%m}", "DD": f"{moment:%d}", "hh": f"{moment:%H}",
        "mm": f"{moment:%M}", "ss": f"{moment:%S}", "f": f"{moment.microsecond // 1000:03d}", "Z": "Z",
    }  # fmt: skip
    return "".join(made.get(piece, piece) for piece in _PIECE.findall(plain))
