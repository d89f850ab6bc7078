"""Reactions: what is in force, arming, and how they stand."""

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.setup.reactions import Standing
from tidybench.core.values.exact import Exact
from tidybench.wire.procedures import By


class KeptReactions(Exact):
    """The document of a bench's reactions ("" for none), the texts of the procedures that they begin, by name, of those that these carry
    out (`called`), and the plans that all of them begin runs from."""

    text: Annotated[str, Field(max_length=500_000)] = ""
    procedures: dict[str, str] = {}
    called: dict[str, str] = {}
    plans: dict[str, RunPlan] = {}


class ApplyReactions(Exact):
    """These are in force from here on. `was`: the document that must have been in force until now; null: whatever was."""

    kind: Literal["apply reactions"] = "apply reactions"
    kept: KeptReactions
    was: str | None = None


class GetReactions(Exact):
    """Answered with what is in force."""

    kind: Literal["get reactions"] = "get reactions"


class ArmReaction(Exact):
    """Arm a reaction, or disarm it."""

    kind: Literal["arm reaction"] = "arm reaction"
    reaction: str
    on: bool
    by: By = ""


class SeeReaction(Exact):
    """A person has seen what a reaction says."""

    kind: Literal["see reaction"] = "see reaction"
    reaction: str
    by: By = ""


class CarryOutReaction(Exact):
    """Do what a reaction does when its channel stands so, whatever was measured."""

    kind: Literal["carry out reaction"] = "carry out reaction"
    reaction: str
    standing: Standing
    by: By = ""


class ReactionStatus(BaseModel):
    """How a reaction stands. `disarmed`: why it is, "" where it is armed. `stands`: how its channel stands since `since`, "" for not known, at
    `value`. `count` of times that it has reacted, the last one at `last_at` with `words`; `good`: all of it was done. `banner`: what is
    said until somebody has seen it, `sound` with it. Times in microseconds."""

    id: str
    name: str
    channel: str
    disarmed: str
    problems: list[str]
    stands: str
    since: int
    value: float | None
    count: int
    last_at: int | None
    words: str
    good: bool
    banner: str
    sound: bool
