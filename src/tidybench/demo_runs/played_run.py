"""A run of the made-up pump test shop, played at once."""

import heapq
import itertools
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path

from tidybench.core.acting.act import InstrumentAct
from tidybench.core.batch import Batch
from tidybench.core.channels.correction import uncorrected
from tidybench.core.channels.limits import told_crossing
from tidybench.core.compile.command import compile_command
from tidybench.core.compile.link_plan import LinkPlan
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links
from tidybench.core.curves.piece import CurveEnded, CurvePiece
from tidybench.core.derivation import END, Derivation
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.plan.point_order import PointOrder
from tidybench.core.plan.point_taking import Averaged, PointTaking
from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.plan.watched import Watched
from tidybench.core.setup import Setup
from tidybench.core.setup.calculated import CALCULATED, Calculations, load_calculations
from tidybench.core.tape.events import (
    CommandEnded,
    Event,
    Identified,
    Lost,
    Note,
    Opened,
    PointTaken,
    Quiet,
    Received,
    Sent,
    SetupsInForce,
    Start,
)
from tidybench.core.uncertainty import Uncertainties
from tidybench.core.values.channel import Channel
from tidybench.core.values.mark import Mark
from tidybench.core.values.origin import IdentityQuery
from tidybench.recorder.curve_desk import CurveDesk
from tidybench.runs.entry import Entry
from tidybench.runs.log import RunLog, begin_note
from tidybench.runs.run_channel import RunChannel, run_channel
from tidybench.standins.device import Device

SECOND = 1_000_000
AFTER_IDENTITY = 70_000
"""Microseconds after the beginning at which the first query goes: who are you comes first."""

PIECE = 64
"""Bytes that the operating system hands over at once."""

TOGETHER = 500
"""Events that are logged in one go."""

Act = Callable[["PlayedRun"], None]
What = Callable[[int], None]


class PlayedRun:
    """`script`: what is done, each with its second after the beginning. Times in microseconds since 1970 UTC."""

    def __init__(
        self,
        runs: Path,
        bench: str,
        plan: RunPlan,
        texts: Mapping[str, str],
        devices: Callable[[Callable[[], float]], Sequence[Device]],
        begun: int,
        length_s: int,
        script: Sequence[tuple[float, Act]] = (),
        reason: str = "ended by a person",
    ) -> None:
        """`texts`: set-ups by instrument, and the calculated channels'. `devices`: makes the stand-ins, given the time in seconds."""
        self.now = self.begun = begun
        self.operator = plan.operator
        self._texts = dict(texts)
        self._end, self._reason, self._script = begun + length_s * SECOND, reason, script
        self._setups = [load(text) for key, text in texts.items() if key != CALCULATED]
        self._calculations = load_calculations(texts[CALCULATED]) if CALCULATED in texts else Calculations()
        keys = [c.id for s in self._setups for c in s.channel]
        keys += [one.id for one in self._calculations.calculated]
        self._numbers = {key: number for number, key in enumerate(keys, 1)}
        self._plans = {one.key: one for one in plan_links(self._setups, self._numbers)}
        self._readers = {key: LinkReader(one) for key, one in self._plans.items()}
        self._derivation = Derivation(self._setups, self._calculations, self._numbers, tape=True)
        self._devices = {f"simulated/{one.name}": one for one in devices(lambda: self.now / 1e6)}
        self._channels = self._made_channels()
        self._log = RunLog.begin(
            runs, bench=bench, name=plan.name, item=plan.item, operator=plan.operator, row_rule=plan.row_rule, at=begun,
            channels=self._channels, setups=self._texts, plan=plan,
        )  # fmt: skip
        self._parts = {one.number: one for one in self._channels}
        self._sequence = 0
        self._entries: list[Entry] = []
        self._free = dict.fromkeys(self._plans, begun + AFTER_IDENTITY)
        self._gone: set[str] = set()
        self._taking: PointTaking | None = None
        self._points = self._commands = 0
        self._acting: dict[str, InstrumentAct] = {}
        self._desk = CurveDesk(lambda: self._log, lambda: False)
        self._queue: list[tuple[int, int, What]] = []
        self._order = itertools.count()

    def _made_channels(self) -> list[RunChannel]:
        found = [run_channel(s, c, self._numbers) for s in self._setups for c in s.channel]
        for one in self._derivation.calculated:
            part = one.part
            plain = Channel(
                number=one.number, id=part.id, name=part.name, unit=part.unit, decimals=part.decimals, interval_s=one.interval,
                instrument=CALCULATED, low=part.limits.low, high=part.limits.high,
            )  # fmt: skip
            found.append(
                RunChannel(
                    **plain.model_dump(),
                    instrument_name="Calculated",
                    scale=1.0,
                    offset=0.0,
                    expression=part.expression,
                )
            )
        return found

    # ---- the play

    def play(self) -> Path:
        """From its beginning to its seal; gives its folder."""
        self._put("", begin_note(self._log.state.name, self.begun))
        self._put("", Start(self.begun, self._derivation.state()))
        for key, plan in self._plans.items():
            self._put(key, Start(self.begun, self._readers[key].state()))
            self._put(key, Opened(self.begun, {"short": plan.link.short}))
            for setup in plan.setups:
                self._identify(key, setup)
        for second, act in self._script:
            self._at(self.begun + round(second * SECOND), lambda _, act=act: act(self))  # type: ignore[misc]
        for key, plan in self._plans.items():
            self._begin(key, plan)
        while self._queue and self._queue[0][0] < self._end:
            at, _, what = heapq.heappop(self._queue)
            self.now = max(self.now, at)
            what(at)
            if self._taking is not None and (point := self._taking.look(self.now)) is not None:
                self._taking = None
                self._put("", PointTaken(point.at, point.model_dump()))
        self._put("", Note(self._end, END, self._reason))
        self._flush(self._end)
        self._log.end(self._end, self._reason)
        return self._log.folder

    def _at(self, at: int, what: What) -> None:
        heapq.heappush(self._queue, (at, next(self._order), what))

    def _begin(self, key: str, plan: LinkPlan) -> None:
        """What happens on a link by itself."""
        polls = itertools.count(1)
        for number, query in enumerate(plan.queries):
            self._every(query.every, partial(self._ask, key, number, polls), first=0)
        pauses = [
            s.listen.every_s for s in plan.setups if s.listen is not None and s.listen.every_s is not None
        ]
        if pauses and self._devices[key].every:
            self._every(round(min(pauses) * SECOND), lambda _: self.press(key), first=1)

    def _every(self, pause: int, what: What, first: int) -> None:
        grid = (self.begun + slot * pause for slot in itertools.count(first))

        def turn(at: int) -> None:
            what(at)
            self._at(next(grid), turn)

        self._at(next(grid), turn)

    def _ask(self, key: str, number: int, polls: Iterator[int], at: int) -> None:
        plan, device = self._plans[key], self._devices[key]
        query = plan.queries[number]
        if key in self._gone:
            return
        if self._free[key] > at:  # another answer is on its way
            self._at(self._free[key] + 150, partial(self._ask, key, number, polls))
            return
        self._put(key, Sent(at, query.data, next(polls), query.key))
        asked, _ = device.split(query.data)
        reply = device.answer(asked[0])
        assert reply is not None
        wire = (len(query.data) + len(reply)) * plan.link.byte_time
        answered = self._free[key] = at + round(wire + device.answer_time * 1e6)
        self._at(answered, lambda at: self._put(key, Received(at, reply)))

    def _identify(self, link: str, setup: Setup) -> None:
        part, device = setup.identity, self._devices[link]
        if part is None:
            return
        asked, _ = device.split(part.send.encode())
        answer = device.answer(asked[0])
        assert answer is not None
        text = "\n".join(answer.decode().splitlines()).strip()
        name, at = setup.instrument.id, self.now + 60_000
        self._put(link, Sent(self.now, part.send.encode(), 0, IdentityQuery(name)))
        for event in (
            Received(at, answer),
            Quiet(at),
            Identified(at, name, (part.expect or "") in text, text),
        ):
            self._put(link, event)

    def _act(self, link: str, act: InstrumentAct, at: int) -> None:
        """A command goes out; what comes upon it comes at the pace of the wire."""
        device, byte_time = self._devices[link], self._plans[link].link.byte_time
        self._acting[link] = act
        act.go(at)
        assert act.given is not None
        self._put(link, act.given)
        self._put(link, Sent(at, act.sent, 0, act.origin))
        asked, _ = device.split(act.sent)
        reply = device.answer(asked[0])
        assert reply is not None
        comes = at + round(len(act.sent) * byte_time + device.answer_time * 1e6)
        for start in range(0, len(reply), PIECE):
            piece = reply[start : start + PIECE]
            comes += round(len(piece) * byte_time)
            self._at(comes, lambda at, piece=piece: self._put(link, Received(at, piece)))  # type: ignore[misc]
        self._free[link] = comes + 2000

        def end(at: int) -> None:
            del self._acting[link]
            self._put(link, Quiet(at))
            ended = act.heard([], at)
            assert isinstance(ended, CommandEnded)
            self._put(link, ended)

        self._at(comes + 1000, end)

    def _put(self, link: str, event: Event) -> None:
        batch: Batch | None = None
        pieces: list[CurvePiece] = []
        if link in self._readers:
            batch = self._readers[link].feed(event)
            pieces = self._readers[link].take_pieces()
            for piece in pieces:
                if link in self._acting and isinstance(piece, CurveEnded):
                    self._acting[link].drawn(piece)
        crossings = self._derivation.feed(link, event, batch)
        self._sequence += 1
        entry = Entry(self._sequence, link, event, batch, pieces=pieces)
        entry.seal()
        self._entries.append(entry)
        if batch is not None and self._taking is not None:
            self._taking.take(batch)
        for crossing in crossings:
            part = self._parts[crossing.channel]
            told = told_crossing(part.name, crossing, part.unit, part.decimals)
            if told is not None:
                self._log.crossing(told)
                self._put("", told)
        if len(self._entries) >= TOGETHER:
            self._flush(event.at)

    def _flush(self, at: int) -> None:
        entries, self._entries = self._entries, []
        self._log.write(entries, at)
        self._desk.feed(entries, self._setups)

    # ---- what a script does

    def mark(self, text: str) -> None:
        """A mark of the operator's."""
        mark = Mark(self.now // 1000 * 1000, text, self.operator)
        self._log.mark(mark)
        self._put("", mark)

    def press(self, link: str) -> None:
        """An instrument sends by itself, or upon its key."""
        if link not in self._gone:
            self._put(link, Received(self.now, self._devices[link].talk()))

    def command(self, link: str, command: str, **values: float | str) -> None:
        """A command of the instrument's set-up, given by the operator."""
        setup, part = next(
            (s, one) for s in self._plans[link].setups for one in s.command if one.id == command
        )
        self._commands += 1
        compiled = compile_command(setup, part)
        act = InstrumentAct(compiled, self._commands, values, self.operator, self.now)
        self._at(max(self.now, self._free[link]) + 1000, partial(self._act, link, act))

    def unplug(self, link: str) -> None:
        """Somebody pulls the plug."""
        self._gone.add(link)
        self._put(
            link,
            Lost(
                self.now, f"{self._plans[link].link.short} is gone. Plug it in again; it is opened by itself."
            ),
        )

    def plug_in(self, link: str) -> None:
        """And puts it back."""
        self._gone.discard(link)
        self._put(link, Opened(self.now, {"short": self._plans[link].link.short}))
        self._free[link] = self.now + AFTER_IDENTITY
        for setup in self._plans[link].setups:
            self._identify(link, setup)

    def take_point(self, order: PointOrder) -> None:
        """A test point, as the recorder takes it."""
        known = Uncertainties(self._setups, self._calculations.calculated)
        plan = self._log.state.calibrates
        averaged: dict[str, Averaged] = {}
        beside: dict[str, int] = {}
        for key in order.rule.channels:
            one = next(c for c in self._channels if c.id == key)
            watched = Watched(one.number, one.name, one.unit, max(2 * SECOND, round(one.interval_s * 3e6)))
            averaged[key] = Averaged(watched, one.decimals)
            if known.bases(key):
                beside |= {base: self._numbers[base] for base in known.bases(key)}
                averaged[key] = replace(averaged[key], stated=partial(known.standard_uncertainty, key))
            if plan is not None and key == plan.channel:
                part = next(c for s in self._setups for c in s.channel if c.id == key)
                averaged[key] = replace(averaged[key], uncorrected=uncorrected(part, 0.0))
        self._points += 1
        self._taking = PointTaking(order, self._points, averaged, self.now, beside)
        self._put("", Note(self.now, "point ordered", f"{self._points} {order.name}".strip()))

    @property
    def points(self) -> list[dict[str, object]]:
        """The points taken so far, as they stand on the tape."""
        events = [entry.event for entry in self._entries]
        return [point.model_dump() for point in self._log.points] + [
            one.point for one in events if isinstance(one, PointTaken)
        ]

    def change_setup(self, instrument: str, text: str) -> None:
        """Another set-up comes into force."""
        self._texts[instrument] = text
        names = self._log.keep_setups(dict(self._texts))
        changed = load(text)
        self._setups = [changed if s.instrument.id == instrument else s for s in self._setups]
        link = changed.link.address
        setups = [s for s in self._setups if s.link.address == link]
        self._plans |= {one.key: one for one in plan_links(setups, self._numbers)}
        numbers = {c.id: self._numbers[c.id] for s in setups for c in s.channel}
        self._put(link, SetupsInForce(self.now, [names[s.instrument.id] for s in setups], numbers))
        self._readers[link] = LinkReader(self._plans[link])
        self._put(link, Start(self.now, self._readers[link].state()))
