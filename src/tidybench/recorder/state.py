"""The recorder's state file: set-ups in force, channel numbers, released ports, labels, the run in progress."""

from pathlib import Path

from pydantic import BaseModel

from tidybench.runs.folder import write_whole
from tidybench.wire.messages import SetupText


class Zero(BaseModel):
    """A channel that was zeroed: what is taken off its values since `at`."""

    amount: float
    at: int


class RecorderState(BaseModel):
    """What a recorder that was killed needs to carry on."""

    setups: list[SetupText] = []
    calculations: str = ""
    zeros: dict[str, list[Zero]] = {}
    numbers: dict[str, int] = {}
    released: list[str] = []
    labels: dict[str, str] = {}
    run: str | None = None


def read(path: Path) -> RecorderState:
    """The state, or a fresh one where there is none that can be read."""
    try:
        return RecorderState.model_validate_json(path.read_bytes())
    except FileNotFoundError:
        return RecorderState()
    except ValueError:
        path.replace(path.with_suffix(".unreadable"))
        return RecorderState()


def write(path: Path, state: RecorderState) -> None:
    """Write it whole."""
    write_whole(path, state.model_dump_json(indent=1))
