"""Curves as the recorder remembers them."""

from typing import Literal

from pydantic import BaseModel

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
