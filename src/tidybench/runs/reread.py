"""A run's tape read again through the core: the same samples, bit for bit."""

from collections.abc import Iterator, Sequence
from pathlib import Path

from tidybench.core.compile.link_plan import LinkPlan
from tidybench.core.compile.load import load
from tidybench.core.compile.planning import plan_links, same_work
from tidybench.core.derivation import Derivation, basis
from tidybench.core.exchange.link_reader import LinkReader
from tidybench.core.exchange.state import ExchangeError
from tidybench.core.setup import Setup
from tidybench.core.setup.calculated import CALCULATED, Calculations, load_calculations
from tidybench.core.tape.events import Hole, Opened, SetupsInForce, Start
from tidybench.core.tape.lines import TapeError
from tidybench.runs.entry import Entry
from tidybench.runs.folder import setup_file
from tidybench.runs.run_state import read_state
from tidybench.runs.tape import read_tape


def frozen_setups(folder: Path) -> list[Setup]:
    """The set-ups as they were when the run began."""
    return [load(path.read_text("utf-8")) for path in sorted((folder / "set-ups").glob("*.setup.toml"))]


def frozen_calculations(folder: Path) -> Calculations:
    """The calculated channels as they were when the run began."""
    path = folder / "set-ups" / setup_file(CALCULATED)
    return load_calculations(path.read_text("utf-8")) if path.exists() else Calculations()


def reread(folder: Path, first_segment: int = 1, plans: Sequence[LinkPlan] | None = None) -> Iterator[Entry]:
    """Read a run's tape again: what happened, the samples it gives and what it adds to curves, with the set-ups in its folder and those that came
    into force in it; or with other `plans` from its beginning to its end.

    What a run took along from memory, of before it was begun, gives no samples: it was read before its readers' states were kept.
    From a later segment on, a link counts from its first starting state there, and calculated channels from theirs.
    """
    state = read_state(folder)
    numbers = state.numbers
    corrected = plans is not None
    if plans is None:
        plans = plan_links(frozen_setups(folder), numbers)
    readers = {plan.key: LinkReader(plan) for plan in plans}
    files = {p.key: sorted(f"{s.instrument.id}.setup.toml" for s in p.setups) for p in plans}
    started: set[str] = set()
    setups = [setup for plan in plans for setup in plan.setups]
    numbers |= {part.id: number for plan in plans for number, part in plan.parts.items()}
    calculations = frozen_calculations(folder)
    rests_on = basis(setups, calculations)
    led = state.lead_sequence
    derivation = Derivation(setups, calculations, numbers, tape=True)
    for sequence, link, event in read_tape(folder / "tape", first_segment):
        if sequence <= led:
            yield Entry(sequence, link, event)
            continue
        if isinstance(event, SetupsInForce) and not corrected:
            numbers |= event.numbers
            texts = {name: (folder / "set-ups" / name).read_text("utf-8") for name in event.files}
            changed = [load(text) for name, text in texts.items() if name.endswith(".setup.toml")]
            if not link:
                found = [text for name, text in texts.items() if not name.endswith(".setup.toml")]
                calculations = load_calculations(found[0]) if found else Calculations()
                if basis(changed, calculations) != rests_on:
                    rests_on = basis(changed, calculations)
                    later = Derivation(changed, calculations, numbers, tape=True)
                    later.inherit(derivation)
                    derivation = later
            elif sorted(event.files) != files.get(link, []):
                files[link] = sorted(event.files)
                reader = readers.get(link)
                if reader is None or not same_work(reader.plan.setups, changed):
                    readers.pop(link, None)
                    plans = [p for p in plan_links(changed, numbers) if p.key == link]
                    readers.update({p.key: LinkReader(p) for p in plans})
        elif isinstance(event, Start | Opened):
            started.add(link)
        elif isinstance(event, Hole):
            started.clear()  # what happened in between is not on this tape: links count from their next starting state
        reader = readers.get(link) if link in started else None
        try:
            batch = reader.feed(event) if reader else None
        except ExchangeError as error:
            raise TapeError(f"line {sequence} is out of order: {error}") from error
        derivation.feed(link, event, batch)
        pieces = reader.take_pieces() if reader is not None and reader.gatherers else ()
        yield Entry(sequence, link, event, batch, pieces=pieces)
