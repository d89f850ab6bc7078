"""Limits that were crossed, and that a person has seen them."""

from typing import Literal

from pydantic import BaseModel

from tidybench.core.values.crossing import Crossing
from tidybench.core.values.exact import Exact


class OpenCrossing(Exact):
    """A limit that was crossed and not acknowledged yet. `back_at`: when the value came back, 0 while it has not."""

    id: int
    crossing: Crossing
    back_at: int = 0


class Acknowledge(BaseModel):
    """A person has seen these crossings."""

    kind: Literal["acknowledge"] = "acknowledge"
    crossings: list[int]
    by: str = ""
