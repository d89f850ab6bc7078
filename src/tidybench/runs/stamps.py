"""Microseconds since 1970 UTC as ISO 8601 with the local offset, fast enough for every row."""

from datetime import datetime, tzinfo


class Stamps:
    """Formats times; the text of the current second is kept."""

    def __init__(self, zone: tzinfo | None = None) -> None:
        self._zone = zone
        self._second = -1
        self._head = self._offset = ""

    def _turn(self, second: int) -> None:
        self._second = second
        local = datetime.fromtimestamp(second, self._zone).astimezone(self._zone)
        self._head = local.strftime("%Y-%m-%dT%H:%M:%S.")
        offset = local.strftime("%z")
        self._offset = f"{offset[:3]}:{offset[3:]}"

    def milli(self, at: int) -> str:
        """To the millisecond (cut, not rounded): 2026-11-23T09:30:12.345+01:00."""
        second = at // 1_000_000
        if second != self._second:
            self._turn(second)
        return f"{self._head}{at % 1_000_000 // 1000:03d}{self._offset}"

    def micro(self, at: int) -> str:
        """To the microsecond: 2026-11-23T09:30:12.345678+01:00."""
        second = at // 1_000_000
        if second != self._second:
            self._turn(second)
        return f"{self._head}{at % 1_000_000:06d}{self._offset}"


def parse(text: str) -> int:
    """Microseconds of a time that `milli` or `micro` wrote; raises ValueError."""
    moment = datetime.fromisoformat(text)
    whole = int(moment.replace(microsecond=0).timestamp())
    return whole * 1_000_000 + moment.microsecond
