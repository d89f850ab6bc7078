"""The bench as the recorder holds it: set-ups in force, their workers, the run in progress."""

import contextlib
import os
import platform
import shutil
import sys
import threading
import traceback
import uuid
from collections import deque
from datetime import date
from pathlib import Path

from tidybench.core.channels.limits import CALLING, SERIOUS, Crossing, crossing_words
from tidybench.core.channels.units import registry
from tidybench.core.derivation import RESTARTED, Derivation, basis
from tidybench.core.diagnosis.addresses import AddressError, query_maker
from tidybench.core.events import Note, SetUp
from tidybench.core.plan import LinkPlan, plan_links, same_work
from tidybench.core.quality import Quality
from tidybench.core.samples import channels_of, qualities_of, unpack
from tidybench.core.setup import ChannelPart, LimitsPart, SerialPart, Setup, SetupError, load
from tidybench.core.setup.calculated import CALCULATED, CalculatedPart, Calculations, load_calculations
from tidybench.links import Link, open_link
from tidybench.recorder import state as state_file
from tidybench.recorder.bench_channels import channel_statuses, overdue, run_channels
from tidybench.recorder.clock import Clock
from tidybench.recorder.crossing_book import CrossingBook
from tidybench.recorder.instrument_status import instrument_status
from tidybench.recorder.journal import Journal
from tidybench.recorder.order_book import OrderBook
from tidybench.recorder.port_list import PortList
from tidybench.recorder.rates import Rates
from tidybench.recorder.ring import SampleRing, TapeRing
from tidybench.recorder.searches.desk import SearchDesk
from tidybench.recorder.state import Zero
from tidybench.recorder.worker import Worker
from tidybench.runs.folder import SAMPLES, read_state, run_folders
from tidybench.runs.log import RunLog, begin_note
from tidybench.runs.recovery import close_interrupted, mend, set_aside
from tidybench.wire.messages import (
    BeginRun,
    ChannelStatus,
    DiskStatus,
    InstrumentStatus,
    MarkStatus,
    OrderStatus,
    RunStatus,
    SearchStatus,
    SetupText,
    StartSearch,
    Status,
)
from tidybench.wire.places import Places

LEAST_SWITCH, MOST_SWITCH = 0.0005, 0.002
"""Seconds after which a busy thread lets another have the interpreter: the more links, the sooner, so
that polls start on time; not sooner than needed, since every change costs."""

MOST_MARKS = 200
"""Marks of a run that are shown on the Bench; the Logbook has them all."""

MOST_ZEROS = 20
"""Times a channel was zeroed that can be taken back."""

LEAST_FREE = 50 * 1024 * 1024
"""Bytes that must be free for a run to begin."""


class Refused(Exception):
    """A request that cannot be carried out; `trouble` as in the wire's Answer."""

    def __init__(self, trouble: str, why: str) -> None:
        self.trouble = trouble
        super().__init__(why)


class Bench:
    """Everything the recorder owns. `lock` guards the run and the workers; workers never take it."""

    def __init__(self, places: Places, carry_on: bool) -> None:
        self.places = places
        self.clock = Clock()
        self.session = str(uuid.uuid4())
        self.lock = threading.RLock()
        self.log: RunLog | None = None
        self.samples = SampleRing()
        self.tape = TapeRing()
        self.state = state_file.read(places.recorder_state)
        self.setups: list[Setup] = []
        self.workers: dict[str, Worker] = {}
        self.port_list = PortList(places.simulated)
        self.orders = OrderBook()
        self.calculations = Calculations()
        self.crossings = CrossingBook()
        # Each with the number of the journal from which on it counts.
        self._derivations: deque[tuple[int, Derivation]] = deque([(0, Derivation([], self.calculations, {}))])
        self.searches = SearchDesk(places.simulated, self._workers_on)
        self._rates = Rates()
        last = self._take_up_run(carry_on)
        self.journal = Journal(last + 1)
        if self.log is not None:
            self.journal.put("", Note(self.clock.now(), RESTARTED))
        self._take_up_setups()
        self.port_list.start()

    # ---- runs found at the start

    def _take_up_run(self, carry_on: bool) -> int:
        """Mend runs that were not ended; go on with the one in progress if `carry_on`."""
        last = 0
        for folder in run_folders(self.places.runs):
            try:
                run = read_state(folder)
            except (OSError, ValueError):
                continue
            if run.status != "logging":
                continue
            try:
                if carry_on and str(folder) == self.state.run:
                    last = self._carry_on(folder)
                else:
                    close_interrupted(folder, "Tidy Bench ended without ending the run.")
            except Exception as error:  # one broken folder must not keep the bench from starting
                traceback.print_exc()
                set_aside(folder, run, f"It could not be mended: {error}.")
        if self.log is None and self.state.run is not None:
            self.state.run = None
            self._save()
        return last

    def _carry_on(self, folder: Path) -> int:
        mended = mend(folder)
        now = self.clock.now()
        self.log = RunLog.resume(folder, rows=mended.rows, stats=mended.stats, links=mended.links, now=now)
        self._preload(folder, now)
        return mended.last_sequence

    def _preload(self, folder: Path, now: int) -> None:
        with open(folder / SAMPLES, "rb") as file:
            size = file.seek(0, 2)
            file.seek(max(0, size - size % 24 - 24 * 1_000_000))
            self.samples.preload(file.read(), now)

    # ---- set-ups

    def _take_up_setups(self) -> None:
        """The set-ups of the state file, after a start or a restart."""
        try:
            setups, plans, calculated = self._plans(
                self.state.setups, self.state.calculations, self.state.numbers
            )
        except Refused:
            return  # a state file of another version: set-ups come again from the web server
        self._employ(setups, plans, calculated, "The recorder was restarted." if self.log is not None else "")

    def apply(self, texts: list[SetupText], calculations: str = "") -> None:
        """Put set-ups and calculated channels in force. Ports whose set-ups have not changed are left alone; the others are
        freed and opened as they say. Raises Refused.

        While a run is on its columns stay: later channels go to samples and tape only.
        """
        if texts == self.state.setups and calculations == self.state.calculations:
            return  # a web server that was restarted: the ports stay open
        numbers = dict(self.state.numbers)
        setups, plans, calculated = self._plans(texts, calculations, numbers)
        # Ports take their time to be freed (release commands): the run is logged on meanwhile.
        self._dismiss(plans)
        with self.lock:
            self.state.numbers = numbers
            self.state.setups = texts
            self.state.calculations = calculations
            self._employ(setups, plans, calculated, "The set-up was changed." if self.log is not None else "")
            self._save()

    def _plans(
        self, texts: list[SetupText], calculations: str, numbers: dict[str, int]
    ) -> tuple[list[Setup], list[LinkPlan], Calculations]:
        try:
            setups = [load(item.text) for item in texts]
            calculated = load_calculations(calculations)
            own = {c.id for s in setups for c in s.channel}
            # One that took an instrument's id must not keep the instruments from coming into force.
            fitting = [c for c in calculated.calculated if c.id not in own]
            calculated = calculated.model_copy(update={"calculated": fitting})
            if calculated.calculated:
                registry()  # made now, while nothing is held up by it
            for key in [c.id for s in setups for c in s.channel] + [c.id for c in calculated.calculated]:
                numbers.setdefault(key, len(numbers) + 1)
            ids = [c.id for s in setups for c in s.channel] + [s.instrument.id for s in setups]
            ids += [c.id for c in calculated.calculated] + [CALCULATED]
            twice = sorted({i for i in ids if ids.count(i) > 1})
            if twice:
                raise SetupError([f"The id “{i}” is used in two set-ups." for i in twice])
            zeros = {key: kept[-1].amount for key, kept in self.state.zeros.items() if kept}
            return setups, plan_links(setups, numbers, zeros), calculated
        except SetupError as error:
            raise Refused("invalid", str(error)) from error

    def _kept(self, plans: list[LinkPlan]) -> dict[str, Worker]:
        """The workers whose set-ups stay as they are."""
        return {
            plan.key: worker
            for plan in plans
            if (worker := self.workers.get(plan.key)) is not None
            and same_work(worker.plan.setups, plan.setups)
        }

    def _dismiss(self, plans: list[LinkPlan]) -> None:
        """Free the ports of all workers but those that stay."""
        kept = self._kept(plans)
        gone = [worker for key, worker in self.workers.items() if key not in kept]
        for worker in gone:
            worker.stop_soon("The set-up was changed.")
        for worker in gone:
            worker.stop("The set-up was changed.")

    def _employ(
        self, setups: list[Setup], plans: list[LinkPlan], calculated: Calculations, reason: str
    ) -> None:
        kept = self._kept(plans)
        gone = [worker for key, worker in self.workers.items() if key not in kept]
        fresh = [plan for plan in plans if plan.key not in kept]
        touched = {worker.plan.key for worker in gone} | {plan.key for plan in fresh}
        for plan in plans:
            worker = kept.get(plan.key)
            if worker is not None and worker.plan.setups != plan.setups:
                # Names, limits and the like: nothing that the link's work depends on.
                touched.add(plan.key)
                worker.plan.setups, worker.plan.parts = plan.setups, plan.parts
        self._derive(setups, calculated, touched)
        workers = dict(kept)
        for plan in fresh:

            def open_one(plan: LinkPlan = plan) -> Link:
                return open_link(plan.link, self.places.simulated)

            worker = Worker(plan, open_one, self.journal, self.clock, reason)
            worker.released = plan.key in self.state.released
            workers[plan.key] = worker
        self.workers = {plan.key: workers[plan.key] for plan in plans}
        sys.setswitchinterval(max(LEAST_SWITCH, MOST_SWITCH / max(len(self.workers), 1)))
        for plan in fresh:
            self.workers[plan.key].start()

    def _derive(self, setups: list[Setup], calculated: Calculations, touched: set[str]) -> None:
        """Set-ups and calculated channels from now on: what is remembered goes on where nothing it rests on has changed."""
        old_limits = {c.id: (c.name, c.limits) for c in self._limited()}
        changed = basis(setups, calculated) != basis(self.setups, self.calculations)
        calculations_changed = calculated != self.calculations
        self.setups, self.calculations = setups, calculated
        sequence = 0
        if self.log is not None:
            self.log.know_later(self.state.numbers)
            sequence = self._say_setups(touched | ({""} if changed or calculations_changed else set()))
        if changed:
            fresh = Derivation(setups, calculated, self.state.numbers)
            fresh.inherit(self._derivations[-1][1])
            # A run's tape says at which number the new ones begin; without a run they begin at once.
            self._derivations.append((sequence, fresh))
        for channel in self._limited():
            before = old_limits.get(channel.id)
            if before is not None and before[1] != channel.limits:
                if not changed:
                    self._derivations[-1][1].limit(self.state.numbers[channel.id], channel.limits)
                words = f"{channel.name}: {_limit_words(before[1])} → {_limit_words(channel.limits)}"
                self.journal.put("", Note(self.clock.now(), "limits", words))

    def _limited(self) -> list[ChannelPart | CalculatedPart]:
        return [*(c for s in self.setups for c in s.channel), *self.calculations.calculated]

    @property
    def derivation(self) -> Derivation:
        """Calculated channels and limits as they will be when all that has happened is taken in."""
        return self._derivations[-1][1]

    def derivation_at(self, sequence: int) -> Derivation:
        """The one that is in force at a number of the journal; ask in order. Called by the pump, under the lock."""
        while len(self._derivations) > 1 and self._derivations[1][0] <= sequence:
            self._derivations.popleft()
        return self._derivations[0][1]

    def crossed(self, crossing: Crossing) -> None:
        """A limit was crossed: onto the tape, into the run folder and before a person's eyes. By the pump, under the lock."""
        channel = next((c for c in self.channels() if c.number == crossing.channel), None)
        if channel is None or (
            "" in (crossing.before, crossing.state) and crossing.state not in SERIOUS + CALLING
        ):
            return
        if crossing.state == "starting" or (crossing.before == "starting" and crossing.state == "within"):
            return
        words = crossing_words(channel.name, crossing, channel.unit, channel.decimals)
        self.crossings.enter(crossing, channel.name, words)
        self.journal.put("", Note(self.clock.now(), "limit", words))
        if self.log is not None:
            self.log.crossing(crossing.at, channel.name, crossing.state, crossing.value, crossing.limit)

    def acknowledge(self, ids: list[int], by: str) -> None:
        """A person has seen these crossings."""
        with self.lock:
            for entry in self.crossings.acknowledge(ids):
                who = f" by {by}" if by else ""
                self.journal.put("", Note(self.clock.now(), "acknowledged", f"{entry.words}{who}"))

    def zero(self, channel: str, undo: bool) -> str:
        """Zero a channel, or take the last time back; says what was done. Raises Refused."""
        with self.lock:
            setup = next((s for s in self.setups if any(c.id == channel for c in s.channel)), None)
            if setup is None:
                raise Refused("not found", f"There is no channel “{channel[:80]}” that could be zeroed.")
            part = next(c for c in setup.channel if c.id == channel)
            worker = self.workers[setup.link.address]
            kept = self.state.zeros.get(channel, [])
            before = kept[-1].amount if kept else 0.0
            if undo:
                if not kept:
                    raise Refused("conflict", f"{part.name} is not zeroed.")
                kept = kept[:-1]
            else:
                if len(kept) >= MOST_ZEROS:
                    kept = kept[1:]
                value = self._value_now(part, setup)
                kept = [*kept, Zero(amount=before + value, at=self.clock.now())]
            amount = kept[-1].amount if kept else 0.0
            self.state.zeros = {**self.state.zeros, channel: kept}
            self._save()
            worker.zero(channel, amount, before)
            figure = f"{amount:.{part.decimals}f} {part.unit}".strip()
            return (
                f"{part.name}: {figure} is taken off from now on."
                if amount
                else f"{part.name} is as it comes."
            )

    def _value_now(self, part: ChannelPart, setup: Setup) -> float:
        """The mean of a channel's last second, or its newest value. Raises Refused."""
        now = self.clock.now()
        reach = max(1_000_000, round(setup.interval_of(part) * 2.5e6))
        records = unpack(self.samples.since(now - reach))
        mine = (channels_of(records) == self.state.numbers[part.id]) & (records["time"] >= now - reach)
        if self.state.zeros.get(part.id):
            mine &= records["time"] > self.state.zeros[part.id][-1].at
        found = records[mine & (qualities_of(records) <= Quality.FLAGGED)]
        recent = found[found["time"] >= now - 1_000_000]
        values = (recent if len(recent) else found[-1:])["value"]
        if not len(values):
            raise Refused("conflict", f"{part.name} has no value just now: there is nothing to zero at.")
        return float(values.mean())

    def _texts(self) -> dict[str, str]:
        """All documents in force, by id."""
        found = {item.id: item.text for item in self.state.setups}
        if self.state.calculations:
            found[CALCULATED] = self.state.calculations
        return found

    def _say_setups(self, links: set[str]) -> int:
        """Which set-ups these links have from now on, onto the run's tape; gives the last line's number. The link ""
        is the bench: all set-ups, and the calculated channels."""
        assert self.log is not None
        names = self.log.keep_setups(self._texts())
        now, number = self.clock.now(), 0
        for link in sorted(links, key=lambda link: (not link, link)):
            files = [names[s.instrument.id] for s in self.setups if link in ("", s.link.address)]
            if not link and CALCULATED in names:
                files.append(names[CALCULATED])
            number = self.journal.put(link, SetUp(now, files))
        return number

    # ---- ports

    def release(self, link: str, back: bool) -> None:
        """Release a port or take it back. Raises Refused."""
        with self.lock:
            workers = self._workers_on(link)
            if not workers:
                raise Refused("not found", f"No instrument in force uses the port {link}.")
            for worker in workers:
                key = worker.plan.key
                self.state.released = [r for r in self.state.released if r != key]
                if back:
                    worker.take_back()
                else:
                    worker.release()
                    self.state.released.append(key)
            self._save()

    def _workers_on(self, port: str) -> list[Worker]:
        workers = self.workers
        if port in workers:
            return [workers[port]]
        serial = [w for w in workers.values() if isinstance(w.plan.link, SerialPart)]
        return [w for w in serial if self.port_list.same(w.plan.key, port)]

    def label(self, port: str, label: str) -> None:
        """Give a port a label of the person's own. Raises Refused."""
        label = " ".join(label.split())
        if len(label) > 60:
            raise Refused("invalid", f"This label has {len(label)} characters; at most 60 fit.")
        with self.lock:
            self.state.labels.pop(port, None)
            if label:
                self.state.labels[port] = label
            self._save()

    def search(self, request: StartSearch) -> SearchStatus:
        """Begin to look for something on ports. Raises Refused."""
        if request.search == "addresses":
            try:
                query_maker(request.query)
            except AddressError as error:
                raise Refused("invalid", str(error)) from error
            if request.last < request.first:
                raise Refused("invalid", "The first address must not be above the last.")
        if self.searches.busy(request.ports):
            raise Refused("conflict", "Another search has this port just now. Stop it first.")
        return self.searches.start(request)

    # ---- commands

    def command(self, link: str, data: bytes, wait_ms: float) -> OrderStatus:
        """Send a person's command between two polls. Raises Refused."""
        worker = self.workers.get(link)
        if worker is None:
            raise Refused("not found", f"No instrument in force uses {link}.")
        if not data:
            raise Refused("invalid", "There is nothing to send.")
        if worker.trouble:
            raise Refused("conflict", f"It cannot be sent. {worker.sentence}")
        if worker.plan.link.kind == "file":
            raise Refused("conflict", "A file takes no commands.")
        return self.orders.give(worker, data, wait_ms)

    def read_once(self, instrument: str) -> None:
        """Ask an instrument once, now. Raises Refused."""
        setup = next((s for s in self.setups if s.instrument.id == instrument), None)
        if setup is None:
            raise Refused("not found", f"There is no instrument “{instrument}” on the bench.")
        worker = self.workers[setup.link.address]
        if worker.trouble:
            raise Refused("conflict", f"It cannot be asked. {worker.sentence}")
        if not setup.is_asked:
            raise Refused("conflict", f"{setup.instrument.name} has no query to ask. Add one first.")
        worker.read_once(instrument)

    # ---- runs

    def begin(self, request: BeginRun) -> None:
        """Begin a run. Raises Refused."""
        name = request.name.strip()
        if not name:
            raise Refused("invalid", "A run needs a name.")
        for what, text in (("name", name), ("test item", request.item), ("operator", request.operator)):
            if len(text) > 120:
                raise Refused("invalid", f"The {what} has {len(text)} characters; at most 120 fit.")
            if any(ord(c) < 32 or 0xD800 <= ord(c) < 0xE000 for c in text):
                raise Refused("invalid", f"The {what} has a control character in it.")
        with self.lock:
            if self.log is not None:
                raise Refused("conflict", f"The run “{self.log.state.name}” is on. End it first.")
            if not self.channels():
                raise Refused("conflict", "There is no channel to log. Connect an instrument first.")
            free = shutil.disk_usage(self.places.runs).free
            if free < LEAST_FREE:
                raise Refused(
                    "disk", f"Only {free // 2**20} MB are free in {self.places.runs}. Make room first."
                )
            now = self.clock.now()
            try:
                self.log = RunLog.begin(
                    self.places.runs,
                    bench=platform.node() or "bench",
                    name=name,
                    item=request.item.strip(),
                    operator=request.operator.strip(),
                    row_rule=request.row_rule,
                    at=now,
                    channels=run_channels(self.setups, self.channels()),
                    setups=self._texts(),
                )
            except OSError as error:
                raise Refused(
                    "disk", f"The run folder cannot be made: {error.strerror} ({self.places.runs})."
                ) from error
            self.state.run = str(self.log.folder)
            self._save()
            self.journal.put("", begin_note(name, now))
            self.want_states()

    def want_states(self) -> None:
        """A tape (or a segment) begins: every link's set-ups and state go onto it."""
        if self.log is not None:
            self._say_setups({"", *self.workers})
        for worker in self.workers.values():
            worker.snapshot()

    def mark(self, text: str, by: str) -> None:
        """Mark this moment. Raises Refused."""
        text = _mark_text(text)
        with self.lock:
            if self.log is None:
                raise Refused("conflict", "No run is on: there is nothing to mark.")
            now = self.clock.now()
            self.log.mark(now, text, by)
            self.journal.put("", Note(now, "mark", text))

    def correct_mark(self, at: int, text: str) -> None:
        """Another text for a mark; the tape keeps the old one. Raises Refused."""
        text = _mark_text(text)
        with self.lock:
            old = self.log.correct_mark(at, text) if self.log is not None else None
            if old is None:
                raise Refused("not found", "The run in progress has no such mark.")
            self.journal.put("", Note(self.clock.now(), "mark corrected", f"{old} → {text}"))

    def check_end(self, run: str) -> None:
        """Raises Refused where this run is not the one in progress."""
        if self.log is None:
            raise Refused("conflict", "No run is on. It was ended already, perhaps in another window.")
        if self.log.state.id != run:
            raise Refused("conflict", f"Another run is on now: “{self.log.state.name}”. Nothing was ended.")

    def forget_run(self) -> None:
        """The run has been ended."""
        self.log = None
        self.state.run = None
        self._save()

    def _save(self) -> None:
        state_file.write(self.places.recorder_state, self.state)

    def stop(self) -> None:
        """Free all ports."""
        self.port_list.stop()
        for worker in self.workers.values():
            worker.stop_soon()
        self.searches.stop_all()
        for worker in self.workers.values():
            worker.stop()

    # ---- what is told

    def channels(self) -> list[ChannelStatus]:
        """The channels in force, in the order of their set-ups; calculated ones last."""
        return channel_statuses(
            self.setups, self.calculations, self.derivation, self.state.numbers, self.state.zeros
        )

    def run_status(self) -> RunStatus | None:
        """The run in progress."""
        log = self.log
        if log is None:
            return None
        s = log.state
        return RunStatus(
            id=s.id,
            name=s.name,
            item=s.item,
            operator=s.operator,
            row_rule=s.row_rule,
            begun_at=s.begun_at,
            folder=str(log.folder),
            csv=s.csv,
            rows=log.rows,
            saved_at=log.saved_at,
            polls=s.counts.polls,
            missed=s.counts.missed,
            gave_up=s.counts.gave_up,
            troubles=list(log.troubles.values()),
            repairs=s.repairs,
            marks=[MarkStatus(at=at, text=text) for at, text in log.marks[-MOST_MARKS:]],
        )

    def status(self) -> Status:
        """Everything, as it is right now."""
        with self.lock:
            return Status(
                at=self.clock.now(),
                session=self.session,
                pid=os.getpid(),
                instruments=self._instruments(),
                channels=self.channels(),
                ports=self.port_list.infos(self.setups, self.state.labels),
                run=self.run_status(),
                disk=self._disk(),
                crossings=self.crossings.open(),
                overdue=overdue(self.setups, date.today()),
            )

    def _instruments(self) -> list[InstrumentStatus]:
        links = [setup.link.address for setup in self.setups]
        now = self.clock.now()
        return [
            instrument_status(s, self.workers[address], self._rates, now, links.count(address) > 1)
            for s, address in zip(self.setups, links, strict=True)
        ]

    def _disk(self) -> DiskStatus:
        free = shutil.disk_usage(self.places.runs).free
        log = self.log
        if log is None:
            return DiskStatus(free_bytes=free, hours_left=None)
        age = (self.clock.now() - log.state.begun_at) / 3.6e9
        used = _size_of(log.folder)
        return DiskStatus(free_bytes=free, hours_left=free / (used / age) if used and age > 0.003 else None)


def _mark_text(text: str) -> str:
    text = " ".join(text.split())
    if not text or len(text) > 500:
        raise Refused("invalid", "A mark has between 1 and 500 characters.")
    return text


def _limit_words(limits: LimitsPart) -> str:
    given = limits.model_dump(exclude_defaults=True)
    return ", ".join(f"{key.replace('_', ' ')} {value:g}" for key, value in given.items()) or "no limits"


def _size_of(folder: Path) -> int:
    total = 0
    for file in folder.rglob("*"):
        with contextlib.suppress(OSError):  # a segment that is being compressed just now
            total += file.stat().st_size
    return total
