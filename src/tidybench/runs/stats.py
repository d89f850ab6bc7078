"""What a run's samples come to: statistics of each channel."""

from collections.abc import Iterable
from typing import Any

import numpy as np

from tidybench.core.samples import channels_of, qualities_of, unpack
from tidybench.core.values.channel import Channel
from tidybench.core.values.statistics import Gathering, Statistics


class RunStats:
    """Grows with the packed samples of a run. Only one thread may use it. `channels`: those of the run."""

    def __init__(self, channels: Iterable[Channel]) -> None:
        self._states = {channel.number: channel.states for channel in channels}
        self._channels: dict[int, Gathering] = {}

    def add(self, packed: bytes) -> None:
        """Take in records as they were appended to samples.bin."""
        records = unpack(packed)
        numbers, qualities = channels_of(records), qualities_of(records)
        for number in np.flatnonzero(
            np.bincount(numbers)
        ):  # np.unique imports masked arrays, 0.1 s in mid-run
            mine = numbers == number
            gathering = self._of(int(number))
            gathering.add(records["time"][mine], records["value"][mine], qualities[mine])

    def _of(self, number: int) -> Gathering:
        if number not in self._channels:
            self._channels[number] = Gathering(self._states.get(number, ()))
        return self._channels[number]

    def state(self) -> dict[str, list[Any]]:
        """What has come until now, as JSON, by channel number."""
        return {str(number): gathering.state() for number, gathering in self._channels.items()}

    def restore(self, state: dict[str, list[Any]]) -> None:
        """Take up what `state` gave."""
        self._channels = {}
        for number, kept in state.items():
            self._of(int(number)).restore(kept)

    def of(self, number: int) -> Statistics:
        """What a channel's samples come to; of none, nothing."""
        gathering = self._channels.get(number)
        return gathering.statistics if gathering is not None else Statistics()
