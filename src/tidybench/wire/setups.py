"""Set-ups in force."""

from typing import Literal

from pydantic import BaseModel

from tidybench.core.values.exact import Exact


class SetupText(Exact):
    """A set-up in force."""

    id: str
    text: str


class GetSetups(BaseModel):
    """What is in force; `fresh` in the answer: nothing ever was."""

    kind: Literal["get set-ups"] = "get set-ups"


class ApplySetups(Exact):
    kind: Literal["apply set-ups"] = "apply set-ups"
    setups: list[SetupText]
    calculations: str = ""
