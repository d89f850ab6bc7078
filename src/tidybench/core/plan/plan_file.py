"""Plans by name, and as files (`*.plan.toml`)."""

from typing import Annotated, Literal

import tomlkit
from pydantic import Field, ValidationError

from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.setup.toml import SetupError, sentences, toml_data

PlanName = Annotated[str, Field(min_length=1, max_length=80, pattern=r"^[^\x00-\x1f\x7f/]+$")]


class PlanFile(RunPlan):
    """A plan under the name that it is kept by: `plan`."""

    format: Literal[1] = 1
    plan: PlanName


class PlanError(ValueError):
    """A plan that cannot be used; the message has a sentence for each thing that is wrong."""


def plan_text(plan: PlanFile) -> str:
    """The plan as TOML; what is as it is anyway stands not in it."""
    told = plan.model_dump(mode="json", exclude_defaults=True, exclude_none=True)
    return tomlkit.dumps({"format": 1, "plan": told.pop("plan"), "name": told.pop("name"), **told})


def load_plan(text: str) -> PlanFile:
    """A plan from TOML. Raises PlanError."""
    try:
        data = toml_data(text)
    except SetupError as error:
        raise PlanError(str(error)) from None
    try:
        return PlanFile.model_validate(data)
    except ValidationError as error:
        found = [line for one in error.errors() for line in sentences(one, text, "plans")]
        raise PlanError("\n".join(found)) from None
