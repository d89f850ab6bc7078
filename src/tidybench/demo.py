"""The demo's earlier runs: made by the loop model, read through the real core, logged by the real log.

Only the clock is not real: bytes are stamped as the polls of an earlier afternoon would have been.
"""

from pathlib import Path

from tidybench.core.batch import Batch
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.setup import Setup
from tidybench.core.tape.events import Event, Identified, Note, Opened, Quiet, Received, Sent, Start
from tidybench.core.values.mark import Mark
from tidybench.core.values.origin import IdentityQuery
from tidybench.core.values.row_rule import RowRule
from tidybench.runs.entry import Entry
from tidybench.runs.folder import run_folders
from tidybench.runs.log import RunLog, begin_note
from tidybench.runs.run_channel import run_channel
from tidybench.standins.instruments import LoopFlowMeter, PowerAnalyser
from tidybench.standins.loop import Loop

STEPS = ((0, 0.45), (120, 0.60), (240, 0.80), (360, 0.45))
LENGTH = 480


def make_runs(runs: Path, setups: Path, now: int, bench: str) -> bool:
    """An acceptance test with valve steps, a day before `now` (microseconds), unless there are runs."""
    if run_folders(runs):
        return False
    begun = (now // 1_000_000 - 86_400 - 3_000) * 1_000_000
    Acceptance(runs, setups, begun, bench).make()
    return True


class Acceptance:
    """Eight minutes of polls, played at once."""

    def __init__(self, runs: Path, setups: Path, begun: int, bench: str) -> None:
        self._now = begun
        self._begun = begun
        texts = {
            name: (setups / f"{name}.setup.toml").read_text("utf-8")
            for name in ("loop-flow-meter", "power-analyser")
        }
        self._setups = [load(text) for text in texts.values()]
        numbers = {c.id: n for n, c in enumerate((c for s in self._setups for c in s.channel), 1)}
        self._plans = plan_links(self._setups, numbers)
        loop = Loop(seed=413, clock=lambda: self._now / 1e6)
        self._loop = loop
        folder = Path("unused")
        self._devices = {d.name: d for d in (LoopFlowMeter(folder, loop), PowerAnalyser(folder, loop))}
        channels = [run_channel(s, c, numbers) for s in self._setups for c in s.channel]
        self._log = RunLog.begin(
            runs, bench=bench, name="Pump 7 acceptance", item="P7-0413, rotor 2", operator="M. Okafor",
            row_rule=RowRule(), at=begun, channels=channels, setups=texts,
        )  # fmt: skip
        self._sequence = 0

    def make(self) -> None:
        """Play it."""
        self._write("", begin_note("Pump 7 acceptance", self._begun))
        readers = {plan.key: LinkReader(plan) for plan in self._plans}
        for plan in self._plans:
            start = Start(self._begun, readers[plan.key].state())
            self._write(plan.key, start)
            self._write(plan.key, Opened(self._begun, {"short": plan.link.short}))
            readers[plan.key].feed(Opened(self._begun, {}))
            for setup in plan.setups:
                self._identify(plan.key, setup, readers[plan.key])
        polls = [
            (self._begun + slot * query.every, plan, query)
            for plan in self._plans
            for query in plan.queries
            for slot in range(LENGTH * 1_000_000 // query.every)
        ]
        polls.sort(key=lambda poll: poll[0])
        steps = list(STEPS)
        free = dict.fromkeys(readers, self._begun + 70_000)  # who are you comes first
        for number, (at, plan, query) in enumerate(polls, 1):
            if steps and at >= self._begun + steps[0][0] * 1_000_000:
                opening = steps.pop(0)[1]
                self._loop.set_valve(opening)
                self._mark(at, f"valve to {opening * 100:.0f} %")
            device = self._devices[plan.key.removeprefix("simulated/")]
            at = max(at, free[plan.key]) + 150
            self._now = at
            reply = device.answer(query.data.rstrip(b"\r\n"))
            assert reply is not None
            reader = readers[plan.key]
            sent = Sent(at, query.data, number, query.key)
            self._write(plan.key, sent)
            reader.feed(sent)
            wire = (len(query.data) + len(reply)) * plan.link.byte_time
            received = Received(at + round(wire + device.answer_time * 1e6), reply)
            free[plan.key] = received.at
            self._write(plan.key, received, reader.feed(received))
        end = self._begun + LENGTH * 1_000_000
        self._write("", Note(end, "end", "ended by a person"))
        self._log.end(end, "ended by a person")

    def _identify(self, link: str, setup: Setup, reader: LinkReader) -> None:
        part = setup.identity
        assert part is not None
        answer = self._devices[setup.instrument.id].answer(part.send.rstrip("\r\n").encode())
        assert answer is not None
        text = "\n".join(answer.decode().split("\r\n")).strip()
        name, at = setup.instrument.id, self._begun + 60_000
        events: list[Event] = [
            Sent(self._begun, part.send.encode(), 0, IdentityQuery(name)),
            Received(at, answer),
            Quiet(at),
            Identified(at, name, part.expect in text, text),
        ]
        for event in events:
            self._write(link, event)
            reader.feed(event)

    def _mark(self, at: int, text: str) -> None:
        mark = Mark(at, text, "M. Okafor")
        self._log.mark(mark)
        self._write("", mark)

    def _write(self, link: str, event: Event, batch: Batch | None = None) -> None:
        self._sequence += 1
        entry = Entry(self._sequence, link, event, batch)
        entry.seal()
        self._log.write([entry], event.at)
