"""The captures that wait or are taken: fed with all that happens, what they took becomes curves. The writer's alone."""

import logging
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from tidybench.core.curves.awaited_text import AwaitedText
from tidybench.core.curves.capture import Captured, Capturing, Sources
from tidybench.core.curves.capture_order import CaptureOrder
from tidybench.core.plan.ends import clock_time
from tidybench.core.samples import batches_of, unpack
from tidybench.core.setup.setup import Setup
from tidybench.core.tape.events import CommandGiven, Note, Received, Sent
from tidybench.core.values.curve import Curve, CurveColumn
from tidybench.recorder.clock import Clock
from tidybench.recorder.curve_desk import CurveDesk
from tidybench.recorder.journal import Journal
from tidybench.recorder.refused import RequestRefused
from tidybench.recorder.ring import SampleRing
from tidybench.runs.entry import Entry
from tidybench.wire.channels import ChannelStatus
from tidybench.wire.curves import CaptureStatus

logger = logging.getLogger(__name__)

MOST = 8
"""Captures that wait or are taken at a time."""


@dataclass(slots=True)
class _One:
    number: int
    order: CaptureOrder
    name: str
    words: str
    capturing: Capturing
    channels: list[ChannelStatus]
    link: str  # of the instrument whose messages are waited for
    instrument: str  # what the channels' is called
    asked_at: int
    due: int | None
    told: Callable[[bool, str], None]
    gives_up_at: int | None
    text: AwaitedText | None = None  # where a message is waited for
    curves: int = 0


class CaptureDesk:
    """Everything here happens in the writer's thread."""

    def __init__(self, curves: CurveDesk, ring: SampleRing, journal: Journal, clock: Clock) -> None:
        self._curves, self._ring, self._journal, self._clock = curves, ring, journal, clock
        self._waiting: list[_One] = []
        self._count = 0
        self.remember: Callable[[list[CaptureOrder]], None] = lambda orders: None
        """Told which wait or are taken, whenever that changes."""

    def start(
        self,
        order: CaptureOrder,
        statuses: Sequence[ChannelStatus],
        setups: Mapping[str, Setup],
        since: int,
        told: Callable[[bool, str], None] | None = None,
        at_most: int = 0,
    ) -> CaptureStatus:
        """Wait for its trigger. `setups`: those in force, by id; `since`: from when on what is in memory means what it means now. `told`:
        what came of it; `at_most`: microseconds after which it is given up, 0 for never. Raises RequestRefused."""
        if len(self._waiting) >= MOST:
            raise RequestRefused("conflict", f"{MOST} captures wait already. Stop one of them first.")
        known = {one.id: one for one in statuses}
        channels = [_known(known, key) for key in order.channels]
        first = channels[0]
        if other := next((one for one in channels if one.instrument != first.instrument), None):
            raise RequestRefused("invalid", f"{other.name} and {first.name} are of different instruments: a capture takes what comes in the same messages.")  # fmt: skip
        if clock := next((one for one in channels if one.clock), None):
            raise RequestRefused("invalid", f"{clock.name} is a device's clock: choose the channels that it times.")  # fmt: skip
        trigger = order.trigger
        watched = _known(known, trigger.channel) if trigger.kind == "level" else None
        if watched is not None and watched.instrument != first.instrument:
            raise RequestRefused("invalid", f"{watched.name} does not come in the messages of {first.name}: watch a channel of the same instrument.")  # fmt: skip
        if order.own_time and not first.timed_by:
            raise RequestRefused(
                "invalid", f"The messages of {first.name} say nothing of the device's own time."
            )
        if trigger.kind in ("message", "command") and trigger.instrument not in setups:
            raise RequestRefused("invalid", f"There is no instrument “{trigger.instrument}” on the bench.")
        numbers = [one.number for one in channels]
        clock_number = first.timed_by if order.own_time else 0
        sources = Sources(numbers, watched.number if watched is not None else 0, clock_number)
        capturing = Capturing(order, sources)
        now = self._clock.now()
        if order.before:
            self._prefill(capturing, sources, order, first, since, now)
        speaks = setups.get(trigger.instrument)
        words = trigger.words(
            watched.name if watched is not None else speaks.instrument.name if speaks is not None else "",
            watched.unit if watched is not None else "",
        )
        self._count += 1
        one = _One(
            self._count,
            order,
            order.name.strip() or f"Capture of {', '.join(c.name for c in channels)}"[:200],
            words,
            capturing,
            channels,
            speaks.link.address if speaks is not None else "",
            setups[first.instrument].instrument.name[:80] if first.instrument in setups else "",
            now,
            clock_time(trigger.at, now) if trigger.at is not None and trigger.kind == "time" else None,
            told or (lambda good, words: None),
            now + at_most if at_most else None,
            AwaitedText(trigger.instrument, trigger.text, speaks.instrument.talks == "when asked")
            if trigger.kind == "message" and speaks is not None
            else None,
        )
        self._waiting.append(one)
        self._remember()
        self._note(f"{one.name}: waits for {words}, {order.samples} samples, {order.before} of them before")
        return self._status(one)

    def _over(self, one: _One) -> None:
        self._waiting.remove(one)
        self._remember()

    def _remember(self) -> None:
        self.remember(self.orders)

    @property
    def orders(self) -> list[CaptureOrder]:
        """Those that wait or are taken."""
        return [one.order for one in self._waiting]

    def interrupted(self, orders: Sequence[CaptureOrder], statuses: Sequence[ChannelStatus]) -> None:
        """These waited or were taken when Tidy Bench ended: each becomes a curve without rows, which says so."""
        known = {one.id: one for one in statuses}
        now = self._clock.now()
        for order in orders:
            channels = [known[key] for key in order.channels if key in known]
            name = order.name.strip() or f"Capture of {', '.join(order.channels)}"
            columns = [CurveColumn(name="Time", unit="s")]
            columns += [
                CurveColumn(name=f"{one.name[:40]} ({one.id})"[:80], unit=one.unit) for one in channels
            ]
            columns += [CurveColumn(name=key) for key in order.channels if key not in known]
            about = Curve(
                number=1,
                curve="",
                name=name[:200],
                instrument=channels[0].instrument if channels else "",
                source="capture",
                begun_at=now,
                ended_at=now,
                why="Tidy Bench ended while it waited or was taken. What was whole is kept; start it again",
                columns=columns,
            )
            self._curves.interrupted(about)
            self._note(f"{about.name}: interrupted, Tidy Bench ended meanwhile")

    def _prefill(
        self,
        capturing: Capturing,
        sources: Sources,
        order: CaptureOrder,
        first: ChannelStatus,
        since: int,
        now: int,
    ) -> None:
        """What was before is in memory already."""
        wanted = [*sources.columns, *(n for n in (sources.watched, sources.clock) if n)]
        span = round(max(first.interval_s, 1e-3) * 1e6 * order.before * 2) + 5_000_000
        _, packed = self._ring.records(max(since, now - span), set(wanted), order.before * len(wanted) * 2)
        for batch in batches_of(unpack(packed)):
            capturing.take(batch, prefilling=True)

    def feed(self, entries: Sequence[Entry], now: int) -> None:
        """What happened, in order."""
        if not self._waiting:
            return
        for one in self._waiting[:]:
            try:
                self._feed(one, entries, now)
            except Exception:  # what was measured is logged all the same
                logger.exception("a capture failed")
                self._over(one)
                one.told(False, f"{one.name}: Tidy Bench itself failed")

    def _feed(self, one: _One, entries: Sequence[Entry], now: int) -> None:
        capturing, trigger = one.capturing, one.order.trigger
        if one.due is not None and now >= one.due:
            capturing.press(one.due)
            one.due = None
        for entry in entries:
            event = entry.event
            if one.text is not None:
                if entry.link == one.link and type(event) is Sent:
                    one.text.sent(event.origin)
                elif entry.link == one.link and type(event) is Received and one.text.received(event.data):
                    capturing.press(event.at)
            elif (
                trigger.kind == "command"
                and type(event) is CommandGiven
                and event.instrument == trigger.instrument
                and trigger.command in ("", event.command)
            ):
                capturing.press(event.at)
            if entry.batch is not None:
                capturing.take(entry.batch)
                for captured in capturing.done:
                    self._draw(one, captured)
                capturing.done.clear()
        if capturing.is_over:
            self._over(one)
            one.told(True, f"{one.name}: {one.order.samples} samples taken")
        elif one.gives_up_at is not None and now >= one.gives_up_at:
            self._over(one)
            had = f"{capturing.gathered} of {one.order.samples} samples"
            words = f"{one.name}: given up with {had if capturing.is_triggered else 'no sample'}"
            self._note(words)
            one.told(False, words)

    def _draw(self, one: _One, captured: Captured) -> None:
        one.curves += 1
        many = f" {one.curves}" if one.order.times > 1 else ""
        columns = [CurveColumn(name="Time", unit="s")]
        for channel in one.channels:
            taken = {column.name for column in columns}
            name = channel.name if channel.name not in taken else f"{channel.name} ({channel.id})"
            columns.append(CurveColumn(name=name[:80], unit=channel.unit))
        whose = "the device's own clock" if one.order.own_time else "arrival"
        missing = one.order.before - captured.before
        about = Curve(
            number=1,
            curve="",
            name=f"{one.name}{many}"[:200],
            instrument=one.channels[0].instrument,
            instrument_name=one.instrument,
            source="capture",
            begun_at=captured.begun_at,
            ended_at=self._clock.now(),
            why=f"upon {one.words}; against {whose}"
            + (f"; {missing} of the samples before it were not there" if missing > 0 else ""),
            rows=0,
            columns=columns,
        )
        number = self._curves.drawn(about, captured.values, captured.qualities)
        self._note(f"{about.name}: taken, curve {number}")

    def stop(self, number: int) -> None:
        """Nothing more is taken of it. Raises RequestRefused."""
        one = self._found(number)
        self._over(one)
        self._note(f"{one.name}: stopped by a person")
        one.told(False, f"{one.name}: stopped by a person")

    def press(self, number: int) -> CaptureStatus:
        """The trigger comes now. Raises RequestRefused."""
        one = self._found(number)
        one.capturing.press(self._clock.now())
        return self._status(one)

    def _found(self, number: int) -> _One:
        for one in self._waiting:
            if one.number == number:
                return one
        raise RequestRefused("not found", "This capture is over already.")

    def _note(self, words: str) -> None:
        self._journal.put("", Note(self._clock.now(), "capture", words))

    def status(self) -> list[CaptureStatus]:
        """Those that wait or are taken."""
        return [self._status(one) for one in self._waiting]

    @staticmethod
    def _status(one: _One) -> CaptureStatus:
        capturing = one.capturing
        return CaptureStatus(
            number=one.number,
            name=one.name,
            words=one.words,
            samples=one.order.samples,
            before=one.order.before,
            times=one.order.times,
            taken=capturing.taken,
            gathered=capturing.gathered,
            triggered=capturing.is_triggered,
            missed=capturing.missed,
            asked_at=one.asked_at,
            due=one.due,
        )


def _known(known: Mapping[str, ChannelStatus], key: str) -> ChannelStatus:
    found = known.get(key)
    if found is None:
        raise RequestRefused("invalid", f"There is no channel “{key}” on the bench.")
    return found
