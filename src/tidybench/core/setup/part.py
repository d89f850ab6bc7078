"""What all parts of a set-up have in common."""

from typing import Annotated

from pydantic import ConfigDict, Field

from tidybench.core.values.exact import Exact

Identifier = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9._-]{0,63}$")]
Label = Annotated[str, Field(min_length=1, max_length=80, pattern=r"^[^\x00-\x1f\x7f]+$")]


class Part(Exact):
    """A table of a set-up. Unknown keys are refused: a slip of the pen never goes unnoticed."""

    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)
