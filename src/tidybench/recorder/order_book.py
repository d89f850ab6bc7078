"""The commands that people gave, and their answers, for as long as someone may ask for them."""

from collections import OrderedDict

from tidybench.core.timing.poller import Errand
from tidybench.recorder.worker import Asked, Worker
from tidybench.wire.messages import OrderStatus

KEPT = 200
QUIET, QUIET_BETWEEN_POLLS = 400_000, 120_000
"""Microseconds of silence that end an answer of several lines. Where polls wait for their turn, less."""


class OrderBook:
    """Numbers commands. One thread asks at a time."""

    def __init__(self) -> None:
        self._orders: OrderedDict[int, Asked] = OrderedDict()
        self._last = 0

    def give(self, worker: Worker, data: bytes, wait_ms: float) -> OrderStatus:
        """Have a command sent between two polls."""
        self._last += 1
        wire = round(len(data) * worker.plan.link.byte_time)
        wait = round(max(1.0, min(wait_ms, 60_000)) * 1000)
        polled = any(not query.on_demand for query in worker.plan.queries)
        quiet = QUIET_BETWEEN_POLLS if polled else QUIET
        asked = Asked(Errand(f"command/{self._last}", data, wait, quiet, wire_time=wire))
        self._orders[self._last] = asked
        while len(self._orders) > KEPT:
            self._orders.popitem(last=False)
        worker.ask(asked)
        return self._status(self._last, asked)

    def look(self, number: int) -> OrderStatus | None:
        """How a command goes; None for one that is not known (any more)."""
        asked = self._orders.get(number)
        return None if asked is None else self._status(number, asked)

    @staticmethod
    def _status(number: int, asked: Asked) -> OrderStatus:
        return OrderStatus(
            id=number,
            n=asked.number,
            done=asked.done,
            lines=[line.decode("latin-1") for line in asked.lines],
            why=asked.why,
        )
