"""A channel, as everyone needs to know it."""

from pydantic import BaseModel


class Channel(BaseModel):
    """What a channel is called and how its figures are shown. `number` stands in its samples' records; `id` never
    changes, `name` may. `interval_s`: seconds between samples, 0 for as fast as they come. `instrument`: whose it is,
    by id. `low` and `high`: the limits, in its unit. `clock`: its values say how late
    its device's messages came, by the device's own clock: see `device_time`. `timed_by`: the number of the
    channel that is the clock of its messages, 0 for none. `states`: its values are places of these words, from 0.
    `usual`: the lowest and highest value it usually has; empty where that is not known."""

    number: int
    id: str
    name: str
    unit: str
    decimals: int
    interval_s: float
    instrument: str
    low: float | None
    high: float | None
    clock: bool = False
    timed_by: int = 0
    states: list[str] = []
    usual: list[float] = []

    @property
    def title(self) -> str:
        """The CSV's column title: of a clock the column has times."""
        return title_of(self.name, "" if self.clock else self.unit)


def title_of(name: str, unit: str) -> str:
    """A column's title."""
    return f"{name} [{unit}]" if unit else name


def device_time(at: int, late: float) -> int:
    """When a device says that it measured what arrived at `at` (microseconds since 1970 UTC), `late` seconds later."""
    return at - round(late * 1e6)
