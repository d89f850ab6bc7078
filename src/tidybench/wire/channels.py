"""Channels as they are told, and zeroing one."""

from typing import Literal

from pydantic import BaseModel

from tidybench.core.values.channel import Channel
from tidybench.core.values.crossing import State
from tidybench.core.values.exact import Exact


class LimitsStatus(Exact):
    """Where a channel should stay, as in its set-up, and how it stands: its state, and since when; `settled`: it has stayed within
    `band` for a while."""

    low: float | None = None
    high: float | None = None
    low_caution: float | None = None
    high_caution: float | None = None
    hysteresis: float = 0.0
    delay_s: float = 0.0
    after_start_s: float = 0.0
    stuck_s: float | None = None
    settled_band: float | None = None
    caution: list[str] = []
    alarm: list[str] = []
    state: State = ""
    since: int = 0
    band: float = 0.0
    settled: bool = False


class ChannelStatus(Channel):
    """A channel in force. `zero`: what is taken off its values, since `zeroed_at`; `own_zero`: the instrument zeroes itself.
    `expression`: of a calculated one, `problem`: why it gives nothing."""

    limits: LimitsStatus = LimitsStatus()
    zero: float = 0.0
    zeroed_at: int = 0
    own_zero: bool = False
    expression: str = ""
    problem: str = ""


class OverdueStatus(BaseModel):
    """A calibration that is overdue: of an instrument or of a channel's sensor."""

    name: str
    due: str
    words: str


class ZeroChannel(BaseModel):
    """Zero a channel at its present value, or undo the last time that was done."""

    kind: Literal["zero channel"] = "zero channel"
    channel: str
    undo: bool = False
