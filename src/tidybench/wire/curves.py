"""Curves as the recorder remembers them."""

from typing import Literal

from pydantic import BaseModel

from tidybench.core.curves.capture_order import CaptureOrder
from tidybench.core.values.curve import Curve


class CurveStatus(Curve):
    """A curve that is drawn, or was lately. `run`: the run it is kept with, "" for none, of the name `run_name` and the test item `item`; `kept`: its
    number there."""

    run: str = ""
    run_name: str = ""
    item: str = ""
    kept: int = 0


class CurveRowsAnswer(BaseModel):
    """A curve with its rows: a list for each column, null where nothing was measured."""

    about: CurveStatus
    values: list[list[float | None]]


class GetCurve(BaseModel):
    """A curve that is remembered, by its number."""

    kind: Literal["get curve"] = "get curve"
    number: int


class CaptureStatus(BaseModel):
    """A capture that waits for its trigger, or is taken. `words`: what it waits for; `taken`: captures that are whole, of `times`; `gathered`: samples of
    the present one so far (before its trigger: those from before); `missed`: triggers that came while it was taking. `due`: when it comes by the
    clock. Times in microseconds since 1970 UTC."""

    number: int
    name: str
    words: str
    samples: int
    before: int
    times: int
    taken: int
    gathered: int
    triggered: bool
    missed: int
    asked_at: int
    due: int | None


class StartCapture(BaseModel):
    kind: Literal["start capture"] = "start capture"
    order: CaptureOrder


class StopCapture(BaseModel):
    """Nothing more is taken of it; `now`: its trigger comes now instead."""

    kind: Literal["stop capture"] = "stop capture"
    number: int
    now: bool = False
