"""A device's own clock, brought to UTC by the least delay seen.

A message that says when it was measured arrives later than that, by a delay that changes. Between the device's clock and
ours lies an offset that drifts slowly. The smallest difference of arrival and device time is the offset with the least
delay; a line below all these smallest ones, as near to them as it can be, follows the drift (the edge of their lower convex
hull below the middle, as it is done where network clocks are compared: Moon, Skelly and Towsley, 1999).

What arrives is never older than its arrival: no device time lies behind the arrival of its message.
"""

from collections import deque
from math import isfinite
from typing import Any

from tidybench.core.batch import NAN, Batch
from tidybench.core.quality import Quality

STRETCH = 10_000_000
"""Microseconds of arrival of which the least delay is kept."""

STRETCHES = 60
"""How many of them the line lies below."""

SPAN = 30_000_000
"""Microseconds that must lie between the first and the last before the drift is worked out: what delays differ by would
look like drift."""

FASTEST = 0.05
"""What a clock may run too fast or too slow: more is another unit."""

AHEAD, AHEAD_SHARE = 1_000_000, 0.05
"""A message so much before the time that its clock gives was sent by a clock that was set, or began again: microseconds, and
a share of the time since the last one."""

BEHIND, PATIENCE = 2_000_000, 10_000_000
"""Messages so much late, for so long, are of a clock that stood still or was set back: microseconds."""

BACK = 1_000_000
"""A clock that goes back by less had its messages change places on the way."""


class DeviceClock:
    """Of the messages of one query or listener. Feed it what they say, in seconds, in order; it gives how late each one came.

    The value of its samples is arrival minus device time, in seconds: never below zero. It is flagged where the clock began
    again, and while it is not certain that it goes on as before.
    """

    zero = 0.0  # it cannot be zeroed

    def __init__(self, number: int, wraps: float | None = None) -> None:
        """`wraps`: seconds after which the device's count begins again at 0; None where it does not."""
        self._word = number << 8
        self._wraps = round(wraps * 1e6) if wraps else 0
        self.resets = 0
        self.last_reset = 0
        self.samples = 0
        self._begun: tuple[float, int] | None = (
            None  # the device's seconds and the arrival that all is counted from
        )
        self._last: tuple[int, int, int] = (
            0,
            0,
            0,
        )  # device time (from the beginning), arrival, time given out
        self._rate = 0.0  # microseconds of offset for each microsecond of the device
        self._base: tuple[int, float] = 0, 0.0  # a place on the line: device time, offset
        self._least: deque[tuple[int, int]] = deque(maxlen=STRETCHES)  # device time, offset
        self._newest: tuple[int, int] | None = None  # the least of the stretch that is not over
        self._until = 0  # when it is
        self._late_since = 0

    @property
    def drift(self) -> float:
        """How much too fast it runs, as a share (1e-6: a microsecond a second); 0 until that is known."""
        return -self._rate / (1.0 + self._rate)

    def take(self, quality: int, at: int, value: float, out: Batch) -> None:
        """What a message that arrived at `at` (microseconds since 1970 UTC) says of its time, in seconds."""
        if quality > Quality.FLAGGED or not isfinite(value):
            self._put(quality if quality > Quality.FLAGGED else Quality.NO_READING, at, NAN, out)
            return
        self.samples += 1
        if self._begun is None:
            self._begin(value, at)
        assert self._begun is not None
        last, arrived, given = self._last
        device = round((value - self._begun[0]) * 1e6)
        since = max(0, at - arrived)
        if self._wraps:
            expected = last + since / (1.0 + self._rate)
            device += round((expected - device) / self._wraps) * self._wraps
        certain = True
        off = self._off(device, at)
        if device < last - BACK or off < -(AHEAD + AHEAD_SHARE * since):
            self._reset(value, at)
            device, last, off, certain = 0, 0, 0.0, False
        elif off > BEHIND:
            certain = False
            self._late_since = self._late_since or at
            if at - self._late_since >= PATIENCE:
                self._reset(value, at)
                device, last, off = 0, 0, 0.0
        else:
            self._late_since = 0
        if off <= BEHIND:
            off = self._learn(device, at, off)
        time = round(at - off)
        if device >= last:
            # The line moves as it is learnt: time goes on all the same, at half its pace at least.
            time = min(at, max(time, given + (device - last) // 2))
            self._last = device, at, time
        self._put(
            Quality.OK if certain and quality == Quality.OK else Quality.FLAGGED, at, (at - time) / 1e6, out
        )

    def _off(self, device: int, at: int) -> float:
        """How much later than the line says a message came, in microseconds."""
        assert self._begun is not None
        offset = at - self._begun[1] - device
        return offset - (self._base[1] + self._rate * (device - self._base[0]))

    def _begin(self, value: float, at: int) -> None:
        self._begun = value, at
        self._last = 0, at, at
        self._base = 0, 0.0
        self._least.clear()
        self._newest, self._until = None, at + STRETCH
        self._late_since = 0

    def _reset(self, value: float, at: int) -> None:
        """Its clock was set, stood still, or began again: the drift stays, the rest is learnt again."""
        self.resets += 1
        self.last_reset = at
        self._begin(value, at)

    def _learn(self, device: int, at: int, off: float) -> float:
        """Take a message's delay in; gives it by the line as it is then."""
        assert self._begun is not None
        offset = at - self._begun[1] - device
        if off < 0.0:
            self._base = device, float(offset)
            off = 0.0
        if (
            self._newest is None
            or offset - self._rate * device < self._newest[1] - self._rate * self._newest[0]
        ):
            self._newest = device, offset
        if at >= self._until:
            self._least.append(self._newest)
            self._newest = None
            self._until = at + STRETCH
            self._fit()
            off = max(0.0, self._off(device, at))
        return off

    def _fit(self) -> None:
        """Lay the line below what was least, as near to it as it can be."""
        points = sorted(self._least)
        hull = _lower_hull(points)
        if points[-1][0] - points[0][0] >= SPAN and len(hull) > 1:
            middle = sum(point[0] for point in points) / len(points)
            edge = next(n for n in range(1, len(hull)) if hull[n][0] >= middle or n == len(hull) - 1)
            (d0, o0), (d1, o1) = hull[edge - 1], hull[edge]
            rate = min(FASTEST, max(-FASTEST, (o1 - o0) / (d1 - d0)))
            above = sorted(offset - o0 - rate * (device - d0) for device, offset in points)
            # As much as delays differ by, or the steps of a coarse clock, is no drift.
            clear = abs(rate) * (points[-1][0] - points[0][0]) > 2 * above[len(above) // 2]
            self._rate = rate if clear or self._rate else 0.0
        lowest = min(points, key=lambda point: point[1] - self._rate * point[0])
        self._base = lowest[0], float(lowest[1])

    def _put(self, quality: int, at: int, value: float, out: Batch) -> None:
        out.words.append(self._word | quality)
        out.times.append(at)
        out.values.append(value)

    def state(self) -> dict[str, Any]:
        """What a tape must open with."""
        return {
            "zero": 0.0, "resets": self.resets, "last_reset": self.last_reset, "samples": self.samples, "begun": self._begun,
            "last": self._last, "rate": self._rate, "base": self._base, "least": [*self._least], "newest": self._newest,
            "until": self._until, "late_since": self._late_since,
        }  # fmt: skip

    def restore(self, state: dict[str, Any]) -> None:
        """Take up what `state` gave; what another kind of channel gave is passed over."""
        if "begun" not in state:
            return
        self.resets, self.last_reset, self.samples = state["resets"], state["last_reset"], state["samples"]
        self._begun = tuple(state["begun"]) if state["begun"] else None
        self._last, self._rate, self._base = tuple(state["last"]), state["rate"], tuple(state["base"])
        self._least = deque((tuple(one) for one in state["least"]), STRETCHES)
        self._newest = tuple(state["newest"]) if state["newest"] else None
        self._until, self._late_since = state["until"], state["late_since"]


def _lower_hull(points: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """The lower convex hull of points sorted by their first figure (Andrew, 1979); of points above each other the lowest."""
    hull: list[tuple[int, int]] = []
    for x, y in points:
        if hull and hull[-1][0] == x:
            continue  # sorted: the lower one came first
        while len(hull) > 1 and (hull[-1][0] - hull[-2][0]) * (y - hull[-2][1]) <= (x - hull[-2][0]) * (
            hull[-1][1] - hull[-2][1]
        ):
            hull.pop()
        hull.append((x, y))
    return hull
