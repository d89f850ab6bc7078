"""What addresses and bodies may hold, with the limits that the schema tells."""

from typing import Annotated

from fastapi import Path
from pydantic import Field

Key = Annotated[str, Path(min_length=1, max_length=200)]
"""An instrument's or a channel's id in an address."""

Number = Annotated[int, Path(ge=0, le=2**31 - 1)]
"""A search's or a version's number in an address."""

Moment = Annotated[int, Field(ge=0, le=2**62)]
"""Microseconds since 1970 (UTC)."""
