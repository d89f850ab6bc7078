"""Set-ups come into force here: the new is built, then swapped in. What fails leaves the old working."""

import logging
from dataclasses import dataclass
from pathlib import Path

from tidybench.core.compile.link_plan import LinkPlan
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links, same_work
from tidybench.core.derivation import Derivation, basis
from tidybench.core.setup import Setup, SetupError
from tidybench.core.setup.calculated import CALCULATED, Calculations, load_calculations
from tidybench.core.setup.reactions import REACTIONS
from tidybench.core.units import registry
from tidybench.links import Link, open_link
from tidybench.recorder.clock import Clock
from tidybench.recorder.employed import Employed, texts_of
from tidybench.recorder.event_loop import EventLoop
from tidybench.recorder.journal import Journal
from tidybench.recorder.refused import RequestRefused
from tidybench.recorder.state import StateFile
from tidybench.recorder.worker import Worker
from tidybench.recorder.writer import Writer
from tidybench.wire.setups import SetupText

logger = logging.getLogger(__name__)

CHANGED = "The set-up was changed."


@dataclass(slots=True)
class _Built:
    """What is about to come into force. Nothing of it works yet."""

    employed: Employed
    fresh: list[Worker]
    gone: list[Worker]
    kept: list[tuple[Worker, LinkPlan]]
    touched: set[str]
    derivation: Derivation | None


class Employment:
    """Owns the workers. The service's alone; any thread may look at `now`."""

    def __init__(
        self, simulated: Path, state: StateFile, journal: Journal, clock: Clock, writer: Writer
    ) -> None:
        self.now = Employed()
        self._simulated, self._state = simulated, state
        self._journal, self._clock, self._writer = journal, clock, writer
        self._loop = EventLoop(journal, clock)

    def take_up(self, going_on: bool) -> None:
        """The set-ups that are remembered, after a start or a restart; `going_on`: a run is on."""
        remembered = self._state.now
        try:
            built = self._build(
                remembered.setups,
                remembered.calculations,
                dict(remembered.numbers),
                "The recorder was restarted." if going_on else "",
            )
        except RequestRefused as error:
            # Of another version: set-ups come again from the web server.
            logger.warning("the set-ups that were in force cannot be taken up: %s", error)
            return
        self._swap(built)

    def apply(self, texts: list[SetupText], calculations: str = "") -> None:
        """Put set-ups and calculated channels in force. Ports whose set-ups have not changed are left alone; the others are
        freed and opened as they say. Raises RequestRefused: everything is as it was then.

        While a run is on its columns stay: later channels go to samples and tape only.
        """
        remembered = self._state.now
        if texts == remembered.setups and calculations == remembered.calculations:
            return  # a web server that was restarted: the ports stay open
        numbers = dict(remembered.numbers)
        going_on = self._writer.mailbox.ask(lambda: self._writer.run_in_progress.goes_on)
        # All that can fail comes first: compiling, room for the files, the memory of it.
        built = self._build(texts, calculations, numbers, CHANGED if going_on else "")
        self._writer.mailbox.ask(lambda: self._writer.run_in_progress.keep_setups(dict(built.employed.texts)))
        try:
            before = self._state.remember(setups=texts, calculations=calculations, numbers=numbers)
        except OSError as error:
            logger.exception("a set-up cannot be remembered")
            raise RequestRefused(
                "disk", f"The set-up cannot be kept: {error.strerror}. Nothing was changed."
            ) from error
        try:
            self._swap(built)
        except BaseException:
            self._state.take_back(before)
            raise

    def _build(
        self, texts: list[SetupText], calculations: str, numbers: dict[str, int], restarted: str
    ) -> _Built:
        """Everything that is to come into force; raises RequestRefused where it cannot. `numbers` gets those of new
        channels. `restarted`: why a run finds new readers on its links."""
        try:
            setups, calculated, plans = self._compiled(texts, calculations, numbers)
        except SetupError as error:
            raise RequestRefused("invalid", str(error)) from error
        before = self.now
        kept = [
            (worker, plan)
            for plan in plans
            if (worker := before.workers.get(plan.key)) is not None
            and same_work(worker.plan.setups, plan.setups)
        ]
        staying = {worker.plan.key for worker, _ in kept}
        fresh = [self._hired(plan, restarted) for plan in plans if plan.key not in staying]
        gone = [worker for key, worker in before.workers.items() if key not in staying]
        workers = {worker.plan.key: worker for worker in (*(w for w, _ in kept), *fresh)}
        changed = basis(setups, calculated) != basis(before.setups, before.calculations)
        employed = Employed(
            setups=tuple(setups),
            calculations=calculated,
            texts=texts_of(setups, texts, calculations),
            numbers=numbers,
            workers={plan.key: workers[plan.key] for plan in plans},
        )
        renamed = {worker.plan.key for worker, plan in kept if worker.plan.setups != plan.setups}
        return _Built(
            employed=employed,
            fresh=fresh,
            gone=gone,
            kept=kept,
            touched={worker.plan.key for worker in (*fresh, *gone)} | renamed,
            derivation=Derivation(setups, calculated, numbers) if changed else None,
        )

    def _compiled(
        self, texts: list[SetupText], calculations: str, numbers: dict[str, int]
    ) -> tuple[list[Setup], Calculations, list[LinkPlan]]:
        setups = [load(item.text) for item in texts]
        calculated = load_calculations(calculations)
        own = {c.id for s in setups for c in s.channel}
        # One that took an instrument's id must not keep the instruments from coming into force.
        fitting = [c for c in calculated.calculated if c.id not in own]
        calculated = calculated.model_copy(update={"calculated": fitting})
        if calculated.calculated:
            registry()  # made now, while nothing is held up by it
        channels = [c.id for s in setups for c in s.channel] + [c.id for c in calculated.calculated]
        for key in channels:
            numbers.setdefault(key, len(numbers) + 1)
        ids = [*channels, *(s.instrument.id for s in setups), CALCULATED, REACTIONS]
        twice = sorted({i for i in ids if ids.count(i) > 1})
        if twice:
            raise SetupError([f"The id “{i}” is used in two set-ups." for i in twice])
        zeros = {key: kept[-1].amount for key, kept in self._state.now.zeros.items() if kept}
        return setups, calculated, plan_links(setups, numbers, zeros)

    def _hired(self, plan: LinkPlan, restarted: str) -> Worker:
        def opened() -> Link:
            return open_link(plan.link, self._simulated)

        worker = Worker(plan, opened, self._journal, self._clock, self._loop, restarted)
        worker.released = plan.key in self._state.now.released
        return worker

    def _swap(self, built: _Built) -> None:
        """The old makes way for the new. Ports take their time to be freed (release commands): the run is logged on
        meanwhile."""
        for worker in built.gone:
            worker.stop_soon(CHANGED)
        for worker in built.gone:
            worker.stop(CHANGED)
        for worker, plan in built.kept:
            if worker.plan.setups != plan.setups:
                worker.plan.take_names(plan.setups, plan.parts)
        employed = built.employed
        self._writer.mailbox.ask(lambda: self._writer.change(employed, built.derivation, built.touched))
        self.now = employed
        for worker in built.fresh:
            worker.start()

    def worker_of(self, setup: Setup) -> Worker:
        """The worker of an instrument's link."""
        return self.now.workers[setup.link.address]

    def stop(self) -> None:
        """Free all ports."""
        for worker in self.now.workers.values():
            worker.stop_soon()
        for worker in self.now.workers.values():
            worker.stop()
        self._loop.stop()
