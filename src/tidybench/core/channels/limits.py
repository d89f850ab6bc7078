"""Whether a channel's value stays where it should: states, and when they change."""

from collections.abc import Sequence
from dataclasses import replace

from tidybench.core.quality import Quality
from tidybench.core.setup.channel import LimitsPart
from tidybench.core.values.crossing import CALLING, SERIOUS, Crossing, State
from tidybench.core.values.state_name import state_name


class LimitWatch:
    """Watches one channel. Feed it every sample, in order. `states`: the words of a channel of states."""

    def __init__(
        self, channel: int, limits: LimitsPart, warm_up: float = 0.0, states: Sequence[str] = ()
    ) -> None:
        self.channel = channel
        self.states = states
        self.state: State = ""
        self.since = 0
        self.value = float("nan")
        self.quality = int(Quality.OK)
        self.heard_at = self.unmeasured_since = 0
        self._quiet_until = 0
        self._warm_up = round(warm_up * 1e6)
        self._pending: State = ""
        self._pending_since = 0
        self._moved_at = 0
        self.limits = limits

    def started(self, at: int, opened: bool) -> None:
        """A link was opened (warming up begins), or a run was begun: nothing is judged for a while."""
        wait = round(self.limits.after_start_s * 1e6)
        if opened:
            wait = max(wait, self._warm_up)
        self._quiet_until = max(self._quiet_until, at + wait) if wait else self._quiet_until
        self._moved_at = max(self._moved_at, at)

    def change(self, limits: LimitsPart, states: Sequence[str] | None = None) -> None:
        """Other limits (and words of its states) from here on; the next sample is judged by them at once."""
        self.limits = limits
        self.states = self.states if states is None else states
        self._pending, self._pending_since = "", 0

    def take(self, quality: int, at: int, value: float) -> Crossing | None:
        """One sample; what changed by it."""
        self.heard_at = at
        if quality > Quality.FLAGGED:
            if self.quality <= Quality.FLAGGED or not self.unmeasured_since:
                self.unmeasured_since = at
            self.quality = quality
            return None
        self.quality = quality
        limits = self.limits
        if value != self.value:
            self.value, self._moved_at = value, at
        if not limits.any:
            return self._become("", at, value, None)
        if at < self._quiet_until:
            return self._become("starting", at, value, None)
        wanted, limit = self._judge(value)
        if limits.stuck_s is not None and at - self._moved_at >= limits.stuck_s * 1e6 and wanted == "within":
            wanted, limit = "stuck", None
        if wanted == self.state:
            self._pending = ""
            return None
        if wanted == "within" or wanted == "stuck" or not limits.delay_s:
            return self._become(wanted, at, value, limit)
        # A worse state must last before it counts.
        if self._pending != wanted:
            self._pending, self._pending_since = wanted, at
        if at - self._pending_since < limits.delay_s * 1e6:
            return self._become("within", at, value, None) if self.state in ("", "starting") else None
        return self._become(wanted, at, value, limit)

    def _become(self, state: State, at: int, value: float, limit: float | None) -> Crossing | None:
        before = self.state
        if state == before:
            return None
        self.state, self.since = state, at
        if state != self._pending:
            self._pending = self._pending if state == "within" else ""
        word = state_name(self.states, value) if self.states else None
        return Crossing(at, self.channel, state, before, value, limit, word=word or "")

    def _judge(self, value: float) -> tuple[State, float | None]:
        """Where a value stands; coming back takes the hysteresis."""
        limits, state = self.limits, self.state
        if self.states:
            word = state_name(self.states, value)
            return (
                "alarm" if word in limits.alarm else "caution" if word in limits.caution else "within",
                None,
            )
        back = limits.hysteresis
        high, low = limits.high, limits.low
        if high is not None and value > high - (back if state == "high" else 0.0):
            return "high", high
        if low is not None and value < low + (back if state == "low" else 0.0):
            return "low", low
        upper, lower = limits.high_caution, limits.low_caution
        if upper is not None and value > upper - (back if state in ("high caution", "high") else 0.0):
            return "high caution", upper
        if lower is not None and value < lower + (back if state in ("low caution", "low") else 0.0):
            return "low caution", lower
        return "within", None


def told_crossing(name: str, crossing: Crossing, unit: str, decimals: int) -> Crossing | None:
    """A crossing with its channel's name and its sentence; None for one that nobody needs to hear of: limits that begin or cease to be judged."""
    if "" in (crossing.before, crossing.state) and crossing.state not in SERIOUS + CALLING:
        return None
    if crossing.state == "starting" or (crossing.before == "starting" and crossing.state == "within"):
        return None
    return replace(crossing, name=name, words=crossing_words(name, crossing, unit, decimals))


def crossing_words(name: str, crossing: Crossing, unit: str, decimals: int) -> str:
    """A crossing as a sentence."""

    def figure(value: float) -> str:
        return f"{value:.{decimals}f}{' ' + unit if unit else ''}".replace("-", "−", value < 0)

    assert crossing.value is not None
    value = crossing.word or figure(crossing.value)
    if crossing.state == "stuck":
        return f"{name} has not moved from {value}"
    if crossing.state in ("within", "", "starting"):
        return f"{name} is back within its limits: {value}"
    if crossing.state in ("caution", "alarm"):
        return f"{name} is {value}"
    assert crossing.limit is not None
    side = "above" if crossing.state.startswith("high") else "below"
    what = "the caution" if crossing.state.endswith("caution") else "the limit"
    return f"{name} is {side} {what} of {figure(crossing.limit)}: {value}"
