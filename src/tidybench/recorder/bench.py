"""The bench as the recorder holds it: set-ups in force, their workers, the run in progress."""

import contextlib
import os
import platform
import shutil
import sys
import threading
import traceback
import uuid
from pathlib import Path

from tidybench.core.diagnosis.addresses import AddressError, query_maker
from tidybench.core.events import Note, SetUp
from tidybench.core.plan import LinkPlan, plan_links
from tidybench.core.setup import SerialPart, Setup, SetupError, load
from tidybench.links import Link, open_link
from tidybench.recorder import state as state_file
from tidybench.recorder.clock import Clock
from tidybench.recorder.instrument_status import instrument_status
from tidybench.recorder.journal import Journal
from tidybench.recorder.order_book import OrderBook
from tidybench.recorder.port_list import PortList
from tidybench.recorder.rates import Rates
from tidybench.recorder.ring import SampleRing, TapeRing
from tidybench.recorder.searches.desk import SearchDesk
from tidybench.recorder.worker import Worker
from tidybench.runs.folder import SAMPLES, RunChannel, read_state, run_folders
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
        self.searches = SearchDesk(places.simulated, self._workers_on)
        self._rates = Rates()
        last = self._take_up_run(carry_on)
        self.journal = Journal(last + 1)
        self._take_up_setups()
        self.port_list.start()
        if self.log is not None:
            self.journal.put("", Note(self.clock.now(), "recorder restarted"))

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
            setups, plans = self._plans(self.state.setups, self.state.numbers)
        except Refused:
            return  # a state file of another version: set-ups come again from the web server
        self._employ(setups, plans, "The recorder was restarted." if self.log is not None else "")

    def apply(self, texts: list[SetupText]) -> None:
        """Put set-ups in force. Ports whose set-ups have not changed are left alone; the others are
        freed and opened as they say. Raises Refused.

        While a run is on its columns stay: later channels go to samples and tape only.
        """
        if texts == self.state.setups:
            return  # a web server that was restarted: the ports stay open
        numbers = dict(self.state.numbers)
        setups, plans = self._plans(texts, numbers)
        # Ports take their time to be freed (release commands): the run is logged on meanwhile.
        self._dismiss(plans)
        with self.lock:
            self.state.numbers = numbers
            self.state.setups = texts
            self._employ(setups, plans, "The set-up was changed." if self.log is not None else "")
            self._save()

    def _plans(self, texts: list[SetupText], numbers: dict[str, int]) -> tuple[list[Setup], list[LinkPlan]]:
        try:
            setups = [load(item.text) for item in texts]
            for setup in setups:
                for channel in setup.channel:
                    numbers.setdefault(channel.id, len(numbers) + 1)
            ids = [c.id for s in setups for c in s.channel] + [s.instrument.id for s in setups]
            twice = sorted({i for i in ids if ids.count(i) > 1})
            if twice:
                raise SetupError([f"The id “{i}” is used in two set-ups." for i in twice])
            return setups, plan_links(setups, numbers)
        except SetupError as error:
            raise Refused("invalid", str(error)) from error

    def _kept(self, plans: list[LinkPlan]) -> dict[str, Worker]:
        """The workers whose set-ups stay as they are."""
        return {
            plan.key: worker
            for plan in plans
            if (worker := self.workers.get(plan.key)) is not None and worker.plan.setups == plan.setups
        }

    def _dismiss(self, plans: list[LinkPlan]) -> None:
        """Free the ports of all workers but those that stay."""
        kept = self._kept(plans)
        gone = [worker for key, worker in self.workers.items() if key not in kept]
        for worker in gone:
            worker.stop_soon("The set-up was changed.")
        for worker in gone:
            worker.stop("The set-up was changed.")

    def _employ(self, setups: list[Setup], plans: list[LinkPlan], reason: str) -> None:
        kept = self._kept(plans)
        gone = [worker for key, worker in self.workers.items() if key not in kept]
        self.setups = setups
        fresh = [plan for plan in plans if plan.key not in kept]
        if self.log is not None:
            self.log.know_later(self.state.numbers)
            self._say_setups({worker.plan.key for worker in gone} | {plan.key for plan in fresh})
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

    def _say_setups(self, links: set[str]) -> None:
        """Which set-ups these links have from now on, onto the run's tape."""
        assert self.log is not None
        names = self.log.keep_setups({item.id: item.text for item in self.state.setups})
        now = self.clock.now()
        for link in sorted(links):
            files = [names[s.instrument.id] for s in self.setups if s.link.address == link]
            self.journal.put(link, SetUp(now, files))

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
                    channels=self._run_channels(),
                    setups={item.id: item.text for item in self.state.setups},
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
            self._say_setups(set(self.workers))
        for worker in self.workers.values():
            worker.snapshot()

    def mark(self, text: str, by: str) -> None:
        """Mark this moment. Raises Refused."""
        text = text.strip()
        if not text or len(text) > 500:
            raise Refused("invalid", "A mark has between 1 and 500 characters.")
        with self.lock:
            if self.log is None:
                raise Refused("conflict", "No run is on: there is nothing to mark.")
            now = self.clock.now()
            text = " ".join(text.split())
            self.log.mark(now, text, by)
            self.journal.put("", Note(now, "mark", text))

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
        """The channels in force, in the order of their set-ups."""
        return [
            ChannelStatus(
                number=self.state.numbers[channel.id],
                id=channel.id,
                name=channel.name,
                unit=channel.unit,
                decimals=channel.decimals,
                interval_s=setup.interval_of(channel),
                instrument=setup.instrument.id,
                low=channel.limits.low,
                high=channel.limits.high,
            )
            for setup in self.setups
            for channel in setup.channel
        ]

    def _run_channels(self) -> list[RunChannel]:
        by_id = {c.id: (s, c) for s in self.setups for c in s.channel}
        return [
            RunChannel(
                **status.model_dump(exclude={"instrument"}),
                instrument=status.instrument,
                instrument_name=by_id[status.id][0].instrument.name,
                scale=by_id[status.id][1].scale,
                offset=by_id[status.id][1].offset,
            )
            for status in self.channels()
        ]

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


def _size_of(folder: Path) -> int:
    total = 0
    for file in folder.rglob("*"):
        with contextlib.suppress(OSError):  # a segment that is being compressed just now
            total += file.stat().st_size
    return total
