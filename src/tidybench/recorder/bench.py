"""The bench as the recorder holds it: set-ups in force, their workers, the run in progress."""

import contextlib
import os
import platform
import shutil
import sys
import threading
import time
import traceback
import uuid
from pathlib import Path

from tidybench.core.events import Note
from tidybench.core.path import Facts, reading_path
from tidybench.core.plan import LinkPlan, plan_links
from tidybench.core.setup import Setup, SetupError, load
from tidybench.links import SerialLink
from tidybench.links.ports import SIMULATED, device_of, ports
from tidybench.recorder import state as state_file
from tidybench.recorder.clock import Clock
from tidybench.recorder.journal import Journal
from tidybench.recorder.ring import SampleRing, TapeRing
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
    PortInfo,
    RunStatus,
    SetupText,
    StageStatus,
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
        self._rates: dict[str, tuple[float, int, float]] = {}
        last = self._take_up_run(carry_on)
        self.journal = Journal(last + 1)
        self._employ(self.state.setups, restarted=self.log is not None)
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

    def apply(self, texts: list[SetupText]) -> None:
        """Put set-ups in force: ports are freed and opened as they say. Raises Refused."""
        with self.lock:
            if texts == self.state.setups:
                return  # a web server that was restarted: the ports stay open
            if self.log is not None:
                raise Refused("conflict", "A run is on. End it before changing set-ups.")
            self._plans(texts, dict(self.state.numbers))
            for worker in self.workers.values():
                worker.stop()
            self.state.setups = texts
            self._employ(texts, restarted=False)
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

    def _employ(self, texts: list[SetupText], restarted: bool) -> None:
        try:
            self.setups, plans = self._plans(texts, self.state.numbers)
        except Refused:
            self.setups, plans = (
                [],
                [],
            )  # a state file of another version: set-ups come again from the web server
        self.workers = {}
        for plan in plans:
            device = device_of(plan.key, self.places.simulated)

            def open_link(plan: LinkPlan = plan, device: str = device) -> SerialLink:
                return SerialLink(device, plan.key, plan.link)

            worker = Worker(plan, open_link, self.journal, self.clock, restarted)
            worker.released = plan.key in self.state.released
            self.workers[plan.key] = worker
        sys.setswitchinterval(max(LEAST_SWITCH, MOST_SWITCH / max(len(self.workers), 1)))
        for worker in self.workers.values():
            worker.start()

    def release(self, link: str, back: bool) -> None:
        """Release a port or take it back."""
        with self.lock:
            worker = self.workers.get(link)
            if worker is None:
                raise Refused("not found", f"No instrument in force uses the port {link}.")
            if back:
                worker.take_back()
                self.state.released = [r for r in self.state.released if r != link]
            else:
                worker.release()
                self.state.released = [*self.state.released, link]
            self._save()

    def ports(self) -> list[PortInfo]:
        """The ports as they are right now."""
        return [
            PortInfo(name=p.name, device=p.device, description=p.description)
            for p in ports(self.places.simulated)
        ]

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
        """A tape (or a segment) begins: every link's state goes onto it."""
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
                instruments=[self._instrument(setup) for setup in self.setups],
                channels=self.channels(),
                released=list(self.state.released),
                run=self.run_status(),
                disk=self._disk(),
            )

    def _instrument(self, setup: Setup) -> InstrumentStatus:
        worker = self.workers[setup.link.port]
        counts = worker.reader.counts
        own = [r for r in worker.plan.readers.values() if r.instrument == setup.instrument.id]
        newest = max(own, key=lambda reader: reader.counts.last_at)
        worst = next((r for r in own if r.counts.recent), newest)
        fastest = min((q.every_s for q in setup.query), default=setup.listen.every_s if setup.listen else 1.0)
        slowest = max((q.every_s for q in setup.query), default=fastest)
        asked = bool(setup.query)
        facts = Facts(
            now=self.clock.now(),
            port_name=setup.link.port,
            port_trouble=worker.trouble,
            port_sentence=worker.sentence,
            settings=setup.link.short,
            counts=counts,
            readings=worst.counts,
            asked=asked,
            interval_s=slowest,
            give_up_s=max((q.give_up_after_s for q in setup.query), default=0.0),
            terminator=_named(setup.framing.terminator),
            has_channels=bool(setup.channel),
            pending=worker.reader.framer.pending,
        )
        stages = [
            StageStatus(name=s.name, state=s.state, words=s.words, sentence=s.sentence)
            for s in reading_path(facts)
        ]
        return InstrumentStatus(
            id=setup.instrument.id,
            name=setup.instrument.name,
            talks=setup.instrument.talks,
            link=setup.link.port,
            settings=setup.link.short,
            asked_per_s=(1 / fastest if fastest else None) if asked else None,
            messages_per_s=self._rate(setup.link.port, counts.messages),
            answer_ms=counts.answer_time / 1000 if asked and counts.answer_time else None,
            stages=stages,
            simulated=setup.link.port.startswith(SIMULATED),
        )

    def _rate(self, link: str, messages: int) -> float:
        now = time.monotonic()
        at, before, rate = self._rates.get(link, (now - 1.0, messages, 0.0))
        if messages < before:
            before = 0
        if now - at >= 4.0 or link not in self._rates:
            rate = (messages - before) / (now - at)
            self._rates[link] = (now, messages, rate)
        return rate

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


def _named(terminator: str) -> str:
    return terminator.replace("\r", "CR ").replace("\n", "LF ").strip()
