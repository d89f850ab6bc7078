"""What ends a run by itself."""

import re
from datetime import datetime, timedelta
from typing import Annotated

from pydantic import AfterValidator, Field

from tidybench.core.plan.condition import Condition
from tidybench.core.setup.part import Identifier, Part
from tidybench.core.values.figure import figure

OF_THE_DAY = re.compile(r"([01]\d|2[0-3]):[0-5]\d(:[0-5]\d)?")


def _moment(text: str) -> str:
    if OF_THE_DAY.fullmatch(text):
        return text
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        found = None
    if found is None or found.tzinfo is None:
        raise ValueError(
            f"“{text}” is no time: write 17:30, or a date with its offset (2026-11-27T06:00+01:00)"
        )
    return text


ClockTime = Annotated[str, Field(max_length=40), AfterValidator(_moment)]
"""A time of day of the bench's zone (17:30), or a date and time with its offset (ISO 8601)."""

Band = Annotated[float, Field(gt=0, le=1e300, allow_inf_nan=False)]


class Settled(Part):
    """All of these channels have stayed within their bands (highest less lowest, in each one's unit) for `for_s` seconds."""

    bands: Annotated[dict[Identifier, Band], Field(min_length=1, max_length=64)]
    for_s: Annotated[float, Field(ge=0.1, le=86_400, allow_inf_nan=False)]


class Ends(Part):
    """Whatever comes first ends the run; with nothing given a person does. `after_s`: seconds since it began. `rows`: this many rows
    of the CSV. `at`: a clock time. `when`: any of these conditions. `settled`: chosen channels have settled."""

    after_s: Annotated[float, Field(gt=0, le=366 * 86_400, allow_inf_nan=False)] | None = None
    rows: Annotated[int, Field(ge=1, le=10**12)] | None = None
    at: ClockTime | None = None
    when: Annotated[list[Condition], Field(max_length=16)] = []
    settled: Settled | None = None

    @property
    def channels(self) -> list[str]:
        """The ids of the channels that it looks at."""
        settled = list(self.settled.bands) if self.settled is not None else []
        return [*(one.channel for one in self.when), *settled]

    @property
    def words(self) -> str:
        """In one line, channels by their ids."""
        parts = []
        if self.after_s is not None:
            parts.append(f"after {figure(self.after_s)} s")
        if self.rows is not None:
            parts.append(f"{self.rows} rows")
        if self.at is not None:
            parts.append(f"at {self.at}")
        parts += [one.words(one.channel, "") for one in self.when]
        if self.settled is not None:
            bands = ", ".join(f"{key} within {figure(band)}" for key, band in self.settled.bands.items())
            parts.append(f"settled for {figure(self.settled.for_s)} s ({bands})")
        return "; ".join(parts) or "when a person ends it"

    @property
    def by_itself(self) -> bool:
        """Whether anything ends it."""
        return self != Ends()


def clock_time(text: str, after: int) -> int:
    """The moment a clock time means, in microseconds since 1970 UTC: of a time of day the first one later than `after`."""
    if not OF_THE_DAY.fullmatch(text):
        return round(datetime.fromisoformat(text).timestamp() * 1e6)
    hour, minute, *second = (int(part) for part in text.split(":"))
    day = datetime.fromtimestamp(after / 1e6)
    for days in range(3):
        wanted = (day + timedelta(days=days)).replace(
            hour=hour, minute=minute, second=second[0] if second else 0, microsecond=0
        )
        found = round(wanted.timestamp() * 1e6)
        if found > after:
            return found
    raise AssertionError("a day has every time")
