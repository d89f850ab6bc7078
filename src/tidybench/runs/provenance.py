"""From a sample of a run to the bytes it was read from: nothing is stored for it, the tape is read again up to there."""

from bisect import bisect_right
from collections import deque
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from json.encoder import encode_basestring
from math import isfinite
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import BaseModel

from tidybench.core.batch import Batch
from tidybench.core.channels.calculator import named_in
from tidybench.core.channels.scaling import traced
from tidybench.core.compile.link_plan import LinkPlan
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links, same_work
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.framing import make_check
from tidybench.core.preview import read_message
from tidybench.core.quality import Quality
from tidybench.core.reading.reader import MessageReader
from tidybench.core.samples import DTYPE, channels_of
from tidybench.core.setup import ChannelPart
from tidybench.core.setup.calculated import Calculations, load_calculations
from tidybench.core.tape.events import Event, GaveUp, Lost, Received, Sent, SetupsInForce
from tidybench.core.tape.lines import parse_tape_line
from tidybench.core.tape.shown import TapeLine, shown
from tidybench.core.values.figure import figure
from tidybench.core.values.origin import Asked
from tidybench.runs.folder import SAMPLES, TAPE
from tidybench.runs.reread import frozen_calculations, frozen_setups
from tidybench.runs.run_state import RunState, read_state
from tidybench.runs.taken_out import taken_out
from tidybench.runs.tape import first_number, lines_of, segments

AROUND = 12
"""Lines of the tape before and after that are shown."""

FROM_MEMORY = (
    "It is from memory, of before the run began: its bytes stand on the tape, but not how they were cut."
)

PIECE = 65_536
"""Samples that are looked through at once."""


class ProvenanceError(ValueError):
    """Why nothing can be said of a sample, in a sentence."""


class ProvenanceStep(BaseModel):
    """What was done to the number, in words, and what it was after that; None where it was none any more."""

    words: str
    after: float | None


class Provenance(BaseModel):
    """Of one sample: its `time` (microseconds since 1970 UTC), `value` and `quality` in words ("" where it was measured), the line of the tape it came with (`sequence`,
    in the file `segment`). `asked`: the query's bytes and `came`: the message's, a character each; "" for none. `reply_ms`: from the query until the message was whole. `why`: why there
    is no number, or why nothing more is known. Of a calculated channel `expression` and the channels it is made from (`inputs`, by id)."""

    channel: str
    name: str
    unit: str
    decimals: int
    time: int
    value: float | None
    quality: str
    sequence: int
    segment: str
    link: str = ""
    instrument: str = ""
    setup: str = ""
    query: str = ""
    asked: str = ""
    asked_at: int | None = None
    came: str = ""
    came_at: int | None = None
    reply_ms: float | None = None
    check: str = ""
    field: str = ""
    field_text: str = ""
    steps: list[ProvenanceStep] = []
    why: str = ""
    expression: str = ""
    inputs: list[str] = []
    around: list[TapeLine] = []


@dataclass(slots=True)
class _Message:
    reader: MessageReader
    body: bytes
    at: int
    raw: dict[int, float]  # by channel number: after scale and offset, before everything else


class _Watched(LinkReader):
    """Keeps the messages that the newest event gave."""

    def __init__(self, plan: LinkPlan) -> None:
        super().__init__(plan)
        self.seen: list[_Message] = []

    def feed(self, event: Event) -> Batch | None:
        """As ever."""
        self.seen = []
        return super().feed(event)

    def _read(self, reader: MessageReader, bodies: list[bytes], times: list[int], out: Batch) -> None:
        for body, at in zip(bodies, times, strict=True):
            first = len(out.words)
            super()._read(reader, [body], [at], out)
            raw = {
                word >> 8: value for word, value in zip(out.words[first:], out.values[first:], strict=True)
            }
            self.seen.append(_Message(reader, body, at, raw))


def explain(folder: Path, channel: str, moment: int) -> Provenance:
    """How the newest sample of a channel that is not later than `moment` came about. Any thread; it takes as long as reading two segments of the tape. Raises
    ProvenanceError, OSError, ValueError."""
    state = read_state(folder)
    about = next((one for one in state.channels if one.id == channel), None)
    number = state.numbers.get(channel)
    if number is None:
        raise ProvenanceError(f"The run has no channel “{channel}”.")
    sequence, time, value, quality = _sample(
        folder, number, moment, about.name if about is not None else channel
    )
    told = Provenance(
        channel=channel,
        name=about.name if about is not None else channel,
        unit=about.unit if about is not None else "",
        decimals=about.decimals if about is not None else 2,
        time=time,
        value=value if quality.measured and isfinite(value) else None,
        quality="" if quality is Quality.OK else quality.words,
        sequence=sequence,
        segment="",
    )
    return _Replay(folder, state, sequence, number).told(told)


def _sample(folder: Path, number: int, moment: int, name: str) -> tuple[int, int, float, Quality]:
    """The newest one that is not later: its sequence number, time, value and quality. samples.bin is in the order of the tape, which times follow but for what was
    held back."""
    if (folder / SAMPLES).stat().st_size < DTYPE.itemsize:
        raise ProvenanceError(f"{name} has no sample in this run.")
    records: Any = np.memmap(folder / SAMPLES, DTYPE, "r")
    end = min(
        len(records), bisect_right(range(len(records)), moment, key=lambda n: int(records[n]["time"])) + PIECE
    )
    while end > 0:
        begin = max(0, end - PIECE)
        piece = np.asarray(records[begin:end])
        mine = np.flatnonzero((channels_of(piece) == number) & (piece["time"] <= moment))
        if len(mine):
            newest = mine[np.flatnonzero(piece["time"][mine] == piece["time"][mine].max())[-1]]
            word = int(piece["word"][newest])
            return word >> 24, int(piece["time"][newest]), float(piece["value"][newest]), Quality(word & 0xFF)
        end = begin
    raise ProvenanceError(f"{name} has no sample before that time in this run.")


class _Replay:
    """Reads the tape up to one line, for one channel."""

    def __init__(self, folder: Path, state: RunState, sequence: int, number: int) -> None:
        self._folder, self._state, self._sequence, self._number = folder, state, sequence, number
        self._numbers = dict(state.numbers)
        self._calculations = frozen_calculations(folder)
        self._reader: _Watched | None = None
        self._files: dict[str, str] = {}  # of the set-ups in force, by instrument
        self._started = False
        self._asked: Sent | None = None

    def told(self, told: Provenance) -> Provenance:
        """What is known already, and where it came from."""
        every = segments(self._folder / TAPE)
        place = bisect_right(every, self._sequence, key=_first) - 1
        if place < 0 and (gone := taken_out(self._folder)) is not None:
            raise ProvenanceError(f"{gone.words} The bytes of this value are gone with it.")
        if place < 0:
            raise ProvenanceError("The tape of this run does not go back to that sample.")
        link, event = self._target(every[place])
        told.segment, told.link = every[place].name, link
        told.around = self._around(every[max(0, place - 1) :], link)
        calculated = next(
            (one for one in self._calculations.calculated if self._numbers.get(one.id) == self._number), None
        )
        if self._sequence <= self._state.lead_sequence:
            return self._from_memory(told, every, link)
        batch = None
        # Starting states stand at the head of each, but for links that began as the tape turned.
        for first in dict.fromkeys((place, max(0, place - 1))):
            batch = self._run(every[first : place + 1], link)
            if self._started:
                break
        calculated = next(
            (one for one in self._calculations.calculated if self._numbers.get(one.id) == self._number),
            calculated,
        )
        if calculated is not None:
            told.expression = calculated.expression
            told.inputs = list(dict.fromkeys(ref.id for ref in named_in(calculated)))
            return told
        reader = self._reader
        part = reader.plan.parts.get(self._number) if reader is not None else None
        if reader is None or part is None or not self._started:
            told.why = "The tape does not say how this link began: its bytes cannot be cut from here."
            return told
        self._about_link(told, reader, part)
        if isinstance(event, GaveUp | Lost):
            told.why = (
                "No whole answer came in time."
                if isinstance(event, GaveUp)
                else f"The link was lost: {event.reason}."
            )
            return told
        self._read(told, reader, part, batch)
        return told

    def _from_memory(self, told: Provenance, every: list[Path], link: str) -> Provenance:
        """Of before the run began. The tape does not say how its readers stood there: they are begun anew with the first query, or with what comes, and what they give is
        told only where it comes to the very value: not of filters, words and clocks, which cannot be held against it."""
        self._numbers = dict(self._state.numbers)
        self._employ(
            [plan for plan in plan_links(frozen_setups(self._folder), self._numbers) if plan.key == link]
        )
        reader, batch, begun = self._reader, None, False
        part = reader.plan.parts.get(self._number) if reader is not None else None
        unread = told.model_copy(update={"why": FROM_MEMORY}, deep=True)
        if reader is None or part is None or part.filter or part.thinning or part.states or part.clock:
            return unread
        reader.withheld.clear()  # it had said who it is: there is a sample
        zero = self._zero_at_the_beginning(every, link)
        if (pipeline := reader.pipelines.get(self._number)) is not None:
            pipeline.zero = zero
        for sequence, event in self._events(every, link):
            if isinstance(event, Sent) and event.poll:
                begun, self._asked = True, event
            begun = begun or (
                isinstance(event, Received) and reader.plan.setups[0].instrument.talks != "when asked"
            )
            batch = reader.feed(event) if begun else None
            if sequence == self._sequence:
                break
        else:
            return unread
        self._started = True
        self._about_link(told, reader, part)
        self._read(told, reader, part, batch)
        return told if told.value is not None and told.came and not told.why else unread

    def _zero_at_the_beginning(self, every: list[Path], link: str) -> float:
        """That of the channel when the run began, which is that of what it took along."""
        wanted = f'"l":{encode_basestring(link)},'
        for segment in every:
            with lines_of(segment) as lines:
                for line in lines:
                    if wanted in line and '"k":"start"' in line:
                        assert self._reader is not None
                        beside = LinkReader(self._reader.plan)
                        beside.feed(parse_tape_line(line)[2])
                        pipeline = beside.pipelines.get(self._number)
                        return pipeline.zero if pipeline is not None else 0.0
        return 0.0

    def _about_link(self, told: Provenance, reader: _Watched, part: ChannelPart) -> None:
        """Whose it is, and what was asked."""
        setup = next((one for one in reader.plan.setups if part in one.channel), reader.plan.setups[0])
        told.instrument = setup.instrument.name
        told.setup = self._files.get(setup.instrument.id, f"{setup.instrument.id}.setup.toml")
        told.field = part.field
        asked = self._asked
        if asked is not None and setup.instrument.talks == "when asked":
            told.asked, told.asked_at = asked.data.decode("latin-1"), asked.at
            told.query = asked.origin.query if isinstance(asked.origin, Asked) else ""

    def _read(self, told: Provenance, reader: _Watched, part: ChannelPart, batch: Batch | None) -> None:
        mine = [one for one in reader.seen if self._number in one.raw]
        if not mine:
            told.why = told.why or "No message of this instrument was whole here."
            return
        message = self._which(mine, told, batch)
        body = message.body
        told.came, told.came_at = body.decode("latin-1"), message.at
        if told.asked_at is not None:
            told.reply_ms = (message.at - told.asked_at) / 1000
        checker = make_check(reader.plan.framing)
        read = read_message(body, message.at, message.reader.forms, checker)
        if checker is not None:
            told.check = "wrong" if checker(body) is None else "right"
        told.field_text = read.fields.get(part.field, "")
        told.why = read.why
        raw = message.raw[self._number]
        if told.value is None and not isfinite(raw):
            return
        if part.combine is not None:
            told.steps.append(
                ProvenanceStep(words="its fields made one number", after=raw if isfinite(raw) else None)
            )
        elif (part.scale, part.offset) != (1.0, 0.0):
            words = f"× {figure(part.scale)} {'+' if part.offset >= 0 else '−'} {figure(abs(part.offset))}"
            told.steps.append(ProvenanceStep(words=words, after=raw if isfinite(raw) else None))
        value: float | None = raw
        for step in traced(part.scaling, raw):
            value = step.value
            told.steps.append(ProvenanceStep(words=step.words, after=step.value))
        pipeline = reader.pipelines.get(self._number)
        zero = pipeline.zero if pipeline is not None and part.clock is None else 0.0
        if zero and value is not None:
            value -= zero
            told.steps.append(ProvenanceStep(words=f"zero of {figure(zero)} taken off", after=value))
        if part.clock is not None:
            told.steps.append(
                ProvenanceStep(words="the device's own time, beside its arrival", after=told.value)
            )
        elif part.filter or part.thinning is not None:
            kinds = [one.kind for one in part.filter] + (["thinned out"] if part.thinning is not None else [])
            told.steps.append(ProvenanceStep(words=f"filtered: {', '.join(kinds)}", after=told.value))
        elif told.value is not None and value != told.value and not part.states:
            told.why = "Read again from the tape it is another number: the samples and the tape of this run do not agree. Check the seal."

    def _which(self, mine: list[_Message], told: Provenance, batch: Batch | None) -> _Message:
        """The message that the sample is from, where one event gave several: the same place among this channel's samples, or the last before its time."""
        if batch is not None:
            places = [n for n, word in enumerate(batch.words) if word >> 8 == self._number]
            own = [n for n, place in enumerate(places) if batch.times[place] == told.time]
            if len(places) == len(mine) and own:
                return mine[own[-1]]
        earlier = [one for one in mine if one.at <= told.time]
        return (earlier or mine)[-1]

    def _target(self, segment: Path) -> tuple[str, Event]:
        begins = f'{{"n":{self._sequence},'
        with lines_of(segment) as lines:
            for line in lines:
                if line.startswith(begins):
                    _, link, event = parse_tape_line(line)
                    return link, event
        raise ProvenanceError("The tape of this run has no line for that sample.")

    def _run(self, every: list[Path], link: str) -> Batch | None:
        """Everything of the link up to the line; what that gives."""
        self._started, self._asked = False, None
        self._numbers = dict(self._state.numbers)
        self._employ(
            [plan for plan in plan_links(frozen_setups(self._folder), self._numbers) if plan.key == link]
        )
        for sequence, event in self._events(every, link):
            if isinstance(event, SetupsInForce):
                self._take(event, link)
                continue
            if event.kind in ("start", "open"):
                self._started = True
            if isinstance(event, Sent) and event.poll:
                self._asked = event
            batch = self._reader.feed(event) if self._reader is not None and self._started else None
            if sequence == self._sequence:
                return batch
        return None

    def _events(self, every: list[Path], link: str) -> Iterator[tuple[int, Event]]:
        wanted = f'"l":{encode_basestring(link)},'
        for segment in every:
            with lines_of(segment) as lines:
                for line in lines:
                    # Set-ups of the whole bench have the calculated channels.
                    if wanted in line or '"k":"set-up"' in line:
                        sequence, whose, event = parse_tape_line(line)
                        if sequence > self._sequence:
                            return
                        if whose == link or (not whose and isinstance(event, SetupsInForce)):
                            yield sequence, event

    def _take(self, event: SetupsInForce, link: str) -> None:
        self._numbers |= event.numbers
        texts = {name: (self._folder / "set-ups" / name).read_text("utf-8") for name in event.files}
        found = [text for name, text in texts.items() if not name.endswith(".setup.toml")]
        self._calculations = load_calculations(found[0]) if found else self._calculations or Calculations()
        setups = [(name, load(text)) for name, text in texts.items() if name.endswith(".setup.toml")]
        self._files |= {setup.instrument.id: name for name, setup in setups}
        own = [setup for _, setup in setups if setup.link.address == link]
        reader = self._reader
        if own and (reader is None or not same_work(reader.plan.setups, own)):
            self._employ([plan for plan in plan_links(own, self._numbers) if plan.key == link])

    def _employ(self, plans: list[LinkPlan]) -> None:
        self._reader = _Watched(plans[0]) if plans else None

    def _around(self, every: list[Path], link: str) -> list[TapeLine]:
        """The lines of the link before and after."""
        wanted = f'"l":{encode_basestring(link)},'
        before: deque[TapeLine] = deque(maxlen=AROUND + 1)
        after: list[TapeLine] = []
        for segment in every[:3]:
            with lines_of(segment) as lines:
                for line in lines:
                    if wanted not in line:
                        continue
                    sequence, whose, event = parse_tape_line(line)
                    found = shown(sequence, whose, event, longest=400) if whose == link else None
                    if found is None:
                        continue
                    if sequence <= self._sequence:
                        before.append(found)
                    else:
                        after.append(found)
                        if len(after) == AROUND:
                            return [*before, *after]
        return [*before, *after]


@lru_cache(4096)
def _first(segment: Path) -> int:
    """A segment's first line; one without any stands behind all others."""
    number = first_number(segment)
    return number if number is not None else 2**62
