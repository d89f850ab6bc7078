"""The commands that people gave, and their answers, for as long as someone may ask for them."""

from collections import OrderedDict

from tidybench.core.exchange.command import Command
from tidybench.core.values.origin import ByHand
from tidybench.recorder.worker import Answering, Worker
from tidybench.wire.commands import CommandStatus

KEPT = 200
QUIET, QUIET_BETWEEN_POLLS = 400_000, 120_000
"""Microseconds of silence that end an answer of several lines. Where polls wait for their turn, less."""


class HandCommands:
    """Numbers commands. The service's alone."""

    def __init__(self) -> None:
        self._given: OrderedDict[int, Answering] = OrderedDict()
        self._last = 0

    def give(self, worker: Worker, data: bytes, wait_ms: float) -> CommandStatus:
        """Have a command sent between two polls."""
        self._last += 1
        wire = round(len(data) * worker.plan.link.byte_time)
        wait = round(max(1.0, min(wait_ms, 60_000)) * 1000)
        polled = any(not query.on_demand for query in worker.plan.queries)
        quiet = QUIET_BETWEEN_POLLS if polled else QUIET
        answering = Answering(Command(ByHand(self._last), data, wait, quiet, wire_time=wire), self._last)
        self._given[self._last] = answering
        while len(self._given) > KEPT:
            self._given.popitem(last=False)
        worker.ask(answering)
        return _status(answering)

    def look(self, number: int) -> CommandStatus | None:
        """How a command goes; None for one that is not known (any more)."""
        answering = self._given.get(number)
        return None if answering is None else _status(answering)


def _status(answering: Answering) -> CommandStatus:
    done = answering.done  # read first: it is written last
    return CommandStatus(
        id=answering.number,
        n=answering.sequence,
        done=done,
        lines=[line.decode("latin-1") for line in answering.lines],
        why=answering.why,
    )
