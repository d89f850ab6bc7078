"""The tape, as the recorder remembers it."""

from typing import Annotated, Literal

from pydantic import Field

from tidybench.core.values.exact import Exact

MAX_LINES = 2_000
"""Lines in one answer: whoever wants more asks again with `before`. What polls and stamps times must not wait for it."""


class GetTape(Exact):
    """The newest `last` lines before number `before` (0: the newest of all) that pass the filters, whole, as they stand on
    the tape. Answered in a second frame, a line each, the oldest first."""

    kind: Literal["get tape"] = "get tape"
    last: Annotated[int, Field(ge=1, le=MAX_LINES)] = 200
    before: int = 0
    after: int = 0
    link: str = ""
    direction: Literal["", "in", "out", "events"] = ""
    find: Annotated[str, Field(max_length=200)] = ""
