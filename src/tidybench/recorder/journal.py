"""The one order of all that happens: every event gets its sequence number here."""

import threading
from collections.abc import Callable, Sequence
from typing import Protocol

from tidybench.core.acting.reaction import Reacting
from tidybench.core.batch import Batch
from tidybench.core.curves.piece import CurvePiece
from tidybench.core.tape.events import Event
from tidybench.runs.entry import Entry


class Heeding(Protocol):
    """Who acts upon samples at once, in the thread that has read them."""

    def seen(self, batch: Batch) -> Sequence[Reacting]:
        """What is due because of these samples."""

    def react(self, due: Sequence[Reacting]) -> None:
        """Carry it out; nothing is waited for."""


class Journal:
    """Links put events in, from any thread; the writer takes them all out, in order. `heeds`: who acts upon their samples; `hands_on`: who sends
    them on, and never waits."""

    def __init__(self, first: int = 1) -> None:
        self._lock = threading.Lock()
        self._entries: list[Entry] = []
        self._sequence = first - 1
        self._waiting = threading.Event()
        self._hurry = threading.Event()
        self._settled = threading.Condition()
        self._asked = 0  # after what has been kept up to, somebody is told
        self.newest_kept = first - 1
        """All up to this number has been handed to the operating system, if a run is on. Any thread may look."""
        self.heeds: Heeding | None = None
        self.when_kept: Callable[[], None] = lambda: None
        """Called by the writer's thread, after `hasten`, when `newest_kept` has grown."""
        self.hands_on: Callable[[Batch], None] | None = None

    def start_after(self, sequence: int) -> None:
        """Go on with the numbers of a tape that is there. Before anything is put."""
        self._sequence = self.newest_kept = sequence

    def put(
        self, link: str, event: Event, batch: Batch | None = None, pieces: Sequence[CurvePiece] = ()
    ) -> int:
        """Number an event; gives its number. `pieces`: what it added to curves."""
        # Made before the lock is taken: nothing that could lose the interpreter happens under it.
        entry = Entry(0, link, event, batch, pieces=pieces)
        # Looked at before the writer has it, who adds to the batch; acted upon after, so that it stands on the tape first.
        due = self.heeds.seen(batch) if batch is not None and self.heeds is not None else ()
        if batch is not None and self.hands_on is not None:
            self.hands_on(batch)
        with self._lock:
            self._sequence = entry.sequence = sequence = self._sequence + 1
            self._entries.append(entry)
        if not self._waiting.is_set():
            self._waiting.set()
        if due and self.heeds is not None:
            self.heeds.react(due)
        return sequence

    @property
    def newest(self) -> int:
        """The number that was given last. Any thread."""
        return self._sequence

    def wake(self) -> None:
        """Wake whoever waits, with nothing new."""
        self._waiting.set()

    def wait(self, timeout: float) -> None:
        """Wait until something is there."""
        self._waiting.wait(timeout)

    def gather(self, timeout: float) -> None:
        """Wait so long for more, unless somebody waits for what is there already. The writer's thread alone."""
        if self._hurry.wait(timeout):
            self._hurry.clear()

    def hurry(self) -> None:
        """Have what is there taken without waiting for more. Any thread."""
        self._hurry.set()
        self._waiting.set()

    def settle(self, sequence: int, timeout: float) -> bool:
        """Wait until the event of this number has been handed to the operating system, if a run is on; whether it was, within so many
        seconds. Any thread but the writer's."""
        self.hurry()
        with self._settled:
            return self._settled.wait_for(lambda: self.newest_kept >= sequence, timeout)

    def hasten(self, sequence: int) -> None:
        """Have the event of this number handed to the operating system soon: `when_kept` is called. Any thread but the writer's."""
        with self._settled:
            self._asked = max(self._asked, sequence)
        self.hurry()

    def kept(self, sequence: int) -> None:
        """All up to this number have been handed on. The writer's thread alone."""
        with self._settled:
            self.newest_kept = sequence
            self._settled.notify_all()
            asked = self._asked > 0
            if sequence >= self._asked:
                self._asked = 0
        if asked:
            self.when_kept()

    def take(self) -> list[Entry]:
        """All events since the last call."""
        self._waiting.clear()
        with self._lock:
            entries, self._entries = self._entries, []
        return entries
