"""What is looked for on ports."""

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from tidybench.core.setup.link import StopBits
from tidybench.core.values.exact import Exact


class StartSearch(Exact):
    """Something that is looked for on ports; it goes on by itself, is asked for with GetSearch and can be
    stopped. What each kind needs:

    "settings": `ports` (one), `query` (one character a byte; "" for listening alone).
    "addresses": `ports` (one), `baud` … `parity`, `query` ("" for Modbus; else a text with <address>), `first`, `last`.
    "listen on all ports": `ports`, `baud`.
    "loop-back": `ports` (one), `baud` … `parity`.
    """

    kind: Literal["start search"] = "start search"
    search: Literal["settings", "addresses", "listen on all ports", "loop-back"]
    ports: Annotated[
        list[Annotated[str, Field(min_length=1, max_length=1000)]], Field(min_length=1, max_length=64)
    ]
    query: Annotated[str, Field(max_length=1000)] = ""
    baud: Annotated[int, Field(ge=50, le=12_000_000)] = 9600
    data_bits: Literal[5, 6, 7, 8] = 8
    parity: Literal["none", "even", "odd", "mark", "space"] = "none"
    stop_bits: StopBits = 1
    first: Annotated[int, Field(ge=0, le=999)] = 1
    last: Annotated[int, Field(ge=0, le=999)] = 32


class GetSearch(Exact):
    kind: Literal["get search"] = "get search"
    search: int


class StopSearch(Exact):
    kind: Literal["stop search"] = "stop search"
    search: int


class SearchRow(BaseModel):
    """One finding: what was tried, what came (one character a byte), what it is worth (0 to 1), in words."""

    what: str
    data: str
    score: float
    words: str
    bytes_per_s: float = 0.0
    settings: dict[str, int | float | str] = {}


class SearchStatus(BaseModel):
    """A search as it is right now. `done`: over; `sentence`: what it does, or what came of it."""

    id: int
    search: str
    done: bool
    progress: float
    sentence: str
    rows: list[SearchRow]
    found: SearchRow | None = None
