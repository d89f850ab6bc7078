"""What a stretch of newest values comes to, kept up to date without ever taking anything off.

A sum from which old values are subtracted remembers them: after one huge reading its rounding stays for ever. Here the
values stand on two stacks. New ones go onto `back`, whose total is added to; old ones leave from `front`, where every value
has the total of itself and all newer ones in front beside it. What has left has left nothing behind. When `front` is empty,
`back` is turned over: each value is added twice in its life.
"""

from collections.abc import Callable
from typing import Generic, TypeVar

V = TypeVar("V")
T = TypeVar("T")


class Sliding(Generic[V, T]):
    """`join`: the total of two neighbouring stretches, the older one first. `single`: that of one value."""

    __slots__ = ("_back", "_front", "_join", "_single", "_total")

    def __init__(self, single: Callable[[V], T], join: Callable[[T, T], T]) -> None:
        self._single, self._join = single, join
        self._front: list[tuple[V, T]] = []  # the oldest one last
        self._back: list[V] = []
        self._total: T | None = None  # of the back

    def __len__(self) -> int:
        return len(self._front) + len(self._back)

    @property
    def oldest(self) -> V:
        """The value that leaves next. Raises IndexError where there is none."""
        return self._front[-1][0] if self._front else self._back[0]

    @property
    def total(self) -> T | None:
        """What all of it comes to, None where nothing is there."""
        if not self._front:
            return self._total
        front = self._front[-1][1]
        return front if self._total is None else self._join(front, self._total)

    def append(self, value: V) -> None:
        """The newest value."""
        one = self._single(value)
        self._back.append(value)
        self._total = one if self._total is None else self._join(self._total, one)

    def leave(self) -> None:
        """The oldest value goes. Raises IndexError where there is none."""
        if not self._front:
            self._turn(self._back)
            self._back, self._total = [], None
        self._front.pop()

    def _turn(self, values: list[V]) -> None:
        total: T | None = None
        for value in reversed(values):
            one = self._single(value)
            total = one if total is None else self._join(one, total)
            self._front.append((value, total))

    def clear(self) -> None:
        """Everything goes."""
        self._front, self._back, self._total = [], [], None

    def state(self) -> list[list[V]]:
        """What it holds, oldest first, as it stands on the two stacks: totals go on to the last bit."""
        return [[value for value, _ in reversed(self._front)], list(self._back)]

    def restore(self, front: list[V], back: list[V]) -> None:
        """Take up what `state` gave."""
        self.clear()
        self._turn(front)
        for value in back:
            self.append(value)
