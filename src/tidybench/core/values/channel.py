"""A channel, as everyone needs to know it."""

from pydantic import BaseModel


class Channel(BaseModel):
    """What a channel is called and how its figures are shown. `number` stands in its samples' records; `id` never
    changes, `name` may. `interval_s`: seconds between samples, 0 for as fast as they come. `instrument`: whose it is,
    by id. `low` and `high`: the limits, in its unit."""

    number: int
    id: str
    name: str
    unit: str
    decimals: int
    interval_s: float
    instrument: str
    low: float | None
    high: float | None

    @property
    def title(self) -> str:
        """The CSV's column title."""
        return f"{self.name} [{self.unit}]" if self.unit else self.name
