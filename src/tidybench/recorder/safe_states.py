"""Safe states: commands that leave an instrument harmless, sent when something ends or is lost."""

import logging
import threading
import time
from collections.abc import Callable, Iterable, Sequence
from functools import partial

from tidybench.core.acting.act import InstrumentAct
from tidybench.core.samples import channels_of, qualities_of, unpack
from tidybench.core.setup import Setup
from tidybench.core.tape.events import Note
from tidybench.recorder.acts import Acts
from tidybench.recorder.clock import Clock
from tidybench.recorder.employed import Employed
from tidybench.recorder.journal import Journal
from tidybench.recorder.refused import RequestRefused
from tidybench.runs.entry import Entry
from tidybench.wire.commands import GiveCommand
from tidybench.wire.safe import SafeStatus

logger = logging.getLogger(__name__)

SETUP = "set-up"
"""Why nothing can be watched."""

SENT_WITHIN = 4.0
"""Seconds that all of them may take when Tidy Bench ends."""


class SafeStates:
    """Sends them, and knows what came of it. Any thread; `heard` and `look` are the writer's."""

    def __init__(
        self,
        employed: Callable[[], Employed],
        acts: Acts,
        journal: Journal,
        clock: Clock,
        remember: Callable[[list[SafeStatus]], None],
        unreached: Sequence[SafeStatus],
    ) -> None:
        """`remember`: those that were not reached, whenever they change; `unreached`: those that were remembered before a restart."""
        self._remember, self._remembered = remember, list(unreached)
        self._employed, self._acts, self._journal, self._clock = employed, acts, journal, clock
        self._lock = threading.Lock()
        self._newest = {one.instrument: one for one in unreached}
        self._open = 0  # commands that are on their way
        self._measured: dict[int, int] = {}  # when each channel was measured last
        self._lost: set[str] = set()  # instruments whose watched channel is lost: sent once
        self._finished = False

    # ---- when

    def send(self, instruments: Iterable[str], why: str) -> None:
        """Those of these instruments that have one, because of `why`."""
        wanted = set(instruments)
        for setup in self._employed().setups:
            if setup.instrument.id in wanted and setup.safe is not None:
                self._send(setup, why)

    def run_ended(self) -> None:
        """Those that are sent when a run ends."""
        if self._finished:
            return  # all of them were sent a moment ago
        found = [
            one.instrument.id for one in self._employed().setups if one.safe is not None and one.safe.run_ends
        ]
        self.send(found, "the run has ended")

    def finish(self) -> None:
        """Tidy Bench ends: all of them, and what comes of it is waited for."""
        self.send([one.instrument.id for one in self._employed().setups], "Tidy Bench ends")
        self._finished = True
        until = time.monotonic() + SENT_WITHIN
        while self._open and time.monotonic() < until:
            time.sleep(0.01)

    def heard(self, entries: Sequence[Entry]) -> None:
        """What has happened, in order; sealed entries."""
        employed = self._employed()
        watched = {
            employed.numbers[one.safe.watch]: one
            for one in employed.setups
            if one.safe is not None and one.safe.watch is not None and one.safe.watch in employed.numbers
        }
        if not watched:
            self._measured.clear()
            return
        packed = b"".join(entry.packed for entry in entries)
        if packed:
            records = unpack(packed)
            good = records[qualities_of(records) <= 1]
            numbers = channels_of(good)
            for number in watched:
                times = good["time"][numbers == number]
                if len(times):
                    self._measured[number] = max(self._measured.get(number, 0), int(times.max()))

    def look(self, now: int) -> None:
        """Whether a watched channel has been lost by `now`, in microseconds. One that was never measured is not lost."""
        employed = self._employed()
        for setup in employed.setups:
            safe = setup.safe
            number = employed.numbers.get(safe.watch or "") if safe is not None else None
            if safe is None or safe.watch is None:
                continue
            if number is None:
                self._nothing_to_watch(setup, safe.watch, now)
            if number is None or number not in self._measured:
                continue
            patience = max(
                safe.watch_s, 2 * _interval(employed, safe.watch)
            )  # it may be asked more seldom than that
            lost = now - self._measured[number] > patience * 1e6
            who = setup.instrument.id
            if lost and who not in self._lost:
                self._lost.add(who)
                self._send(setup, f"“{safe.watch}” has not been measured for {patience:g} s")
            elif not lost:
                self._lost.discard(who)

    def _nothing_to_watch(self, setup: Setup, channel: str, now: int) -> None:
        who, name = setup.instrument.id, setup.instrument.name
        if who in self._lost:
            return
        self._lost.add(who)
        words = f"It watches the channel “{channel}”, which is not on this bench: its loss cannot be seen."
        with self._lock:
            self._newest[who] = SafeStatus(
                instrument=who, name=name, at=now, why=SETUP, good=False, words=words
            )

    # ---- what is done

    def _send(self, setup: Setup, why: str) -> None:
        assert setup.safe is not None
        now, who = self._clock.now(), setup.instrument.id
        with self._lock:
            self._newest[who] = SafeStatus(instrument=who, name=setup.instrument.name, at=now, why=why, good=True, words="on its way")  # fmt: skip
        self._journal.put("", Note(now, "safe state", f"{setup.instrument.name}: {why}"))
        for one in setup.safe.commands:
            request = GiveCommand(instrument=who, command=one.command, values=one.values, by=f"its safe state: {why}"[:80], sure=True)  # fmt: skip
            with self._lock:
                self._open += 1
            try:
                self._acts.give(request, self._employed(), now, partial(self._ended, who))
            except RequestRefused as error:
                self._came(who, False, str(error))
            except Exception as error:
                logger.exception("a safe state failed")
                self._came(who, False, f"Tidy Bench itself failed ({error!r})")

    def _ended(self, who: str, act: InstrumentAct) -> None:
        ended = act.ended
        assert ended is not None
        self._came(who, ended.outcome in ("answered", "sent"), f"{act.compiled.part.name}: {ended.words}")

    def _came(self, who: str, good: bool, words: str) -> None:
        with self._lock:
            self._open -= 1
            before = self._newest[who]
            if before.good or not good:  # one that was not sent stays in sight
                self._newest[who] = before.model_copy(update={"good": good, "words": words})
            # What a set-up lacks is seen again at each start.
            unreached = [one for one in self._newest.values() if not one.good and one.why != SETUP]
            changed, self._remembered = unreached != self._remembered, unreached
        if changed:
            self._remember(unreached)
        if not good:
            logger.error("the safe state of %s was not reached: %s", who, words)
            self._journal.put(
                "", Note(self._clock.now(), "safe state", f"{before.name}: not reached. {words}")
            )

    def status(self) -> list[SafeStatus]:
        """The newest of each instrument that one was sent to."""
        with self._lock:
            return list(self._newest.values())


def _interval(employed: Employed, channel: str) -> float:
    """Seconds between two samples of a channel of an instrument; 0 of a calculated one."""
    found = employed.setup_with(channel)
    return found[0].interval_of(found[1]) if found is not None else 0.0
