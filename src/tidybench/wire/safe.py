"""What came of safe states."""

from pydantic import BaseModel


class SafeStatus(BaseModel):
    """The newest time that an instrument's safe state was sent. `at` in microseconds; `why` it was sent; `words`: what came of it, `good`:
    whether it was reached."""

    instrument: str
    name: str
    at: int
    why: str
    good: bool
    words: str
