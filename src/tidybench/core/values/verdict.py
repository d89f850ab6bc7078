"""Whether everything that has limits is within them."""

from typing import Literal

from tidybench.core.values.exact import Exact


class Unknown(Exact):
    """A channel with limits of which nothing is known now: why, and since when (microseconds since 1970 UTC, 0 for ever)."""

    id: str
    number: int
    name: str
    words: str
    since: int


class Verdict(Exact):
    """How the channels with limits stand, as the recorder judges them: by delays, hysteresis and stuck values. “beyond”
    stands above “not all known”. `limited`: how many have limits; `beyond` and `cautions`: by their names."""

    state: Literal["no limits", "within", "not all known", "beyond"] = "no limits"
    limited: int = 0
    beyond: list[str] = []
    cautions: list[str] = []
    unknown: list[Unknown] = []
