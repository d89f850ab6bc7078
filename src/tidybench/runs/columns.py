"""The columns of a run's CSV: those of each channel, in the row rule's order."""

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from tidybench.core.values.channel import title_of
from tidybench.core.values.row_rule import RowRule, RowValue
from tidybench.runs.cells import csv_cell
from tidybench.runs.run_channel import RunChannel


@dataclass(slots=True, frozen=True)
class Column:
    """One column: what of which channel."""

    channel: RunChannel
    value: RowValue

    @property
    def title(self) -> str:
        """As it stands in the header."""
        channel = self.channel
        if self.value == "latest":
            return channel.title
        return title_of(f"{channel.name} {self.value}", "s" if self.value == "age" else channel.unit)

    @property
    def name(self) -> str:
        """As CSV on the Web wants it: letters, digits and underscores."""
        plain = re.sub(r"[^A-Za-z0-9_]", "_", self.channel.id)
        return plain if self.value == "latest" else f"{plain}_{self.value}"


def values_of(channel: RunChannel, rule: RowRule) -> list[RowValue]:
    """What a row has of a channel. A state and a device's time have no mean: of them it has the latest."""
    if not channel.states and not channel.clock:
        return rule.values
    return [value for value in rule.values if value in ("latest", "age")] or ["latest"]


def columns_of(channels: Sequence[RunChannel], rule: RowRule) -> Iterator[Column]:
    """All of them, in order."""
    for channel in channels:
        for value in values_of(channel, rule):
            yield Column(channel, value)


def header(channels: Sequence[RunChannel], rule: RowRule) -> str:
    """The CSV's header row."""
    titles = [csv_cell(column.title) for column in columns_of(channels, rule)]
    return ",".join(["time", "elapsed_s", *titles, "flags"]) + "\r\n"
