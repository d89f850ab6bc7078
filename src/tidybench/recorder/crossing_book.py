"""Limits that were crossed, kept until a person has seen them: the first cause first."""

from tidybench.core.channels.limits import SERIOUS, Crossing
from tidybench.wire.messages import CrossingStatus

MOST = 100
"""Crossings that are kept; of more than these the first and the newest."""


class CrossingBook:
    """Guarded by the bench's lock."""

    def __init__(self) -> None:
        self._open: list[CrossingStatus] = []
        self._next = 1

    def enter(self, crossing: Crossing, name: str, words: str) -> None:
        """A channel's state changed: a new entry where it is serious, and the end of its earlier one."""
        for index, entry in enumerate(self._open):
            if entry.channel == crossing.channel and not entry.back_at:
                self._open[index] = entry.model_copy(update={"back_at": crossing.at})
        if crossing.state not in SERIOUS:
            return
        if len(self._open) >= MOST:
            del self._open[MOST // 2]
        self._open.append(
            CrossingStatus(
                id=self._next,
                at=crossing.at,
                channel=crossing.channel,
                name=name,
                state=crossing.state,
                words=words,
            )
        )
        self._next += 1

    def acknowledge(self, ids: list[int]) -> list[CrossingStatus]:
        """A person has seen these; gives those that were open."""
        seen = [entry for entry in self._open if entry.id in ids]
        self._open = [entry for entry in self._open if entry.id not in ids]
        return seen

    def open(self) -> list[CrossingStatus]:
        """What nobody has acknowledged, in the order it happened."""
        return list(self._open)
