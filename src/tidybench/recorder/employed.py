"""What is employed: the set-ups in force, and a worker for each of their links."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from tidybench.core.setup import ChannelPart, Setup
from tidybench.core.setup.calculated import CALCULATED, CalculatedPart, Calculations
from tidybench.recorder.worker import Worker
from tidybench.wire.setups import SetupText


@dataclass(slots=True, frozen=True)
class Employed:
    """Everything that came into force together. Never changed: a change makes another one, whole, and swaps it in. `numbers`: of
    all channels, by id. `workers`: by their links' addresses."""

    setups: tuple[Setup, ...] = ()
    calculations: Calculations = field(default_factory=Calculations)
    texts: Mapping[str, str] = field(default_factory=dict)
    numbers: Mapping[str, int] = field(default_factory=dict)
    workers: Mapping[str, Worker] = field(default_factory=dict)

    def setup_of(self, instrument: str) -> Setup | None:
        """The set-up of an instrument, by its id."""
        return next((s for s in self.setups if s.instrument.id == instrument), None)

    def setup_with(self, channel: str) -> tuple[Setup, ChannelPart] | None:
        """The set-up that has a channel, and the channel; None where no instrument has it."""
        return next(((s, c) for s in self.setups for c in s.channel if c.id == channel), None)

    @property
    def parts(self) -> list[ChannelPart | CalculatedPart]:
        """All channels, calculated ones last."""
        return [*(c for s in self.setups for c in s.channel), *self.calculations.calculated]

    @property
    def numbered(self) -> dict[int, ChannelPart | CalculatedPart]:
        """All channels by their numbers."""
        return {self.numbers[part.id]: part for part in self.parts}

    def on_link(self, link: str) -> list[Setup]:
        """The set-ups on a link; all of them for ""."""
        return [s for s in self.setups if link in ("", s.link.address)]


def texts_of(setups: Sequence[Setup], texts: Sequence[SetupText], calculations: str) -> dict[str, str]:
    """The documents of set-ups and calculated channels, by id."""
    found = {setup.instrument.id: item.text for setup, item in zip(setups, texts, strict=True)}
    if calculations:
        found[CALCULATED] = calculations
    return found
