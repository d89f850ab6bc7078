"""What is taken off channels' values: pressed, and taken back step by step."""

from tidybench.core.quality import Quality
from tidybench.core.samples import channels_of, qualities_of, unpack
from tidybench.core.setup import ChannelPart, Setup
from tidybench.recorder.clock import Clock
from tidybench.recorder.employment import Employment
from tidybench.recorder.refused import RequestRefused
from tidybench.recorder.ring import SampleRing
from tidybench.recorder.state import StateFile, Zero

MAX_ZEROS = 20
"""Times a channel was zeroed that can be taken back."""


class Zeros:
    """The service's alone. The state file has them; the links apply them."""

    def __init__(self, employment: Employment, state: StateFile, samples: SampleRing, clock: Clock) -> None:
        self._employment, self._state, self._samples, self._clock = employment, state, samples, clock

    def press(self, channel: str, undo: bool) -> str:
        """Zero a channel at its present value, or take the last time back; says what was done. Raises RequestRefused."""
        found = self._employment.now.setup_with(channel)
        if found is None:
            raise RequestRefused("not found", f"There is no channel “{channel[:80]}” that could be zeroed.")
        setup, part = found
        if part.clock is not None or part.states:
            what = "a clock" if part.clock is not None else "a state"
            raise RequestRefused("conflict", f"{part.name} is {what}: it has no zero.")
        kept = self._state.now.zeros.get(channel, [])
        before = kept[-1].amount if kept else 0.0
        if undo:
            if not kept:
                raise RequestRefused("conflict", f"{part.name} is not zeroed.")
            kept = kept[:-1]
        else:
            value = self._value_now(part, setup)
            kept = [*kept[-MAX_ZEROS + 1 :], Zero(amount=before + value, at=self._clock.now())]
        amount = kept[-1].amount if kept else 0.0
        try:
            # A zero that a restart would forget must not be.
            self._state.remember(zeros={**self._state.now.zeros, channel: kept})
        except OSError as error:
            raise RequestRefused(
                "disk", f"{part.name} cannot be zeroed: {error.strerror}. Free some space."
            ) from error
        self._employment.worker_of(setup).zero(channel, amount, before)
        figure = f"{amount:.{part.decimals}f} {part.unit}".strip()
        return f"{part.name}: {figure} is taken off from now on." if amount else f"{part.name}: zero removed."

    def _value_now(self, part: ChannelPart, setup: Setup) -> float:
        """The mean of a channel's last second, or its newest value. Raises RequestRefused."""
        now = self._clock.now()
        reach = max(1_000_000, round(setup.interval_of(part) * 2.5e6))
        records = unpack(b"".join(self._samples.since(now - reach)))
        number = self._employment.now.numbers[part.id]
        mine = (channels_of(records) == number) & (records["time"] >= now - reach)
        zeroed = self._state.now.zeros.get(part.id)
        if zeroed:
            mine &= records["time"] > zeroed[-1].at
        found = records[mine & (qualities_of(records) <= Quality.FLAGGED)]
        recent = found[found["time"] >= now - 1_000_000]
        values = (recent if len(recent) else found[-1:])["value"]
        if not len(values):
            raise RequestRefused(
                "conflict", f"{part.name} has no value just now: there is nothing to zero at."
            )
        return float(values.mean())
