"""A run's tape read again through the core: the same samples, bit for bit."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from tidybench.core.events import Event, Opened, SetUp, Start
from tidybench.core.plan import LinkPlan, plan_links
from tidybench.core.samples import Batch
from tidybench.core.session import LinkReader
from tidybench.core.setup import Setup, load
from tidybench.runs.folder import read_state
from tidybench.runs.tape import read_tape


@dataclass(slots=True, frozen=True)
class Reread:
    """One event of the tape and the samples it gives."""

    sequence: int
    link: str
    event: Event
    batch: Batch | None


def frozen_setups(folder: Path) -> list[Setup]:
    """The set-ups as they were when the run began."""
    return [load(path.read_text("utf-8")) for path in sorted((folder / "set-ups").glob("*.setup.toml"))]


def reread(folder: Path, first_segment: int = 1, plans: Sequence[LinkPlan] | None = None) -> Iterator[Reread]:
    """Read a run's tape again, with the set-ups in its folder, and those that came into force in it; or
    with other `plans` from its beginning to its end.

    From a later segment on, a link counts from its first starting state there.
    """
    state = read_state(folder)
    numbers = {**state.later, **{channel.id: channel.number for channel in state.channels}}
    corrected = plans is not None
    if plans is None:
        plans = plan_links(frozen_setups(folder), numbers)
    readers = {plan.key: LinkReader(plan) for plan in plans}
    files = {p.key: sorted(f"{s.instrument.id}.setup.toml" for s in p.setups) for p in plans}
    started: set[str] = set()
    for sequence, link, event in read_tape(folder / "tape", first_segment):
        if isinstance(event, SetUp):
            if not corrected and sorted(event.files) != files.get(link, []):
                files[link] = sorted(event.files)
                readers.pop(link, None)
                changed = [load((folder / "set-ups" / name).read_text("utf-8")) for name in event.files]
                readers.update({p.key: LinkReader(p) for p in plan_links(changed, numbers) if p.key == link})
        elif isinstance(event, Start | Opened):
            started.add(link)
        reader = readers.get(link) if link in started else None
        yield Reread(sequence, link, event, reader.feed(event) if reader else None)
