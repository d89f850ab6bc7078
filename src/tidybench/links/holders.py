"""Which program holds a port."""

import os
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path


@dataclass(slots=True, frozen=True)
class Holder:
    """A process that has a port open."""

    pid: int
    name: str

    def __str__(self) -> str:
        return f"{self.name} (process {self.pid})"


def holders(path: str, proc: Path = Path("/proc")) -> list[Holder]:
    """The other processes that have `path` open, as far as this user may see; [] elsewhere than Linux."""
    return holders_of([path], proc=proc).get(os.path.realpath(path), [])


def holders_of(
    paths: Sequence[str], own: int | None = None, proc: Path = Path("/proc")
) -> dict[str, list[Holder]]:
    """The same for many paths in one look, by their real paths. `own`: a process that does not count,
    this one unless given."""
    wanted = {os.path.realpath(path) for path in paths}
    found: dict[str, list[Holder]] = {}
    own = os.getpid() if own is None else own
    for entry in proc.glob("[0-9]*") if wanted else ():
        if int(entry.name) == own:
            continue
        try:
            links = {os.readlink(fd) for fd in (entry / "fd").iterdir()}
            for target in links & wanted:
                name = (entry / "comm").read_text().strip() or "a program"
                found.setdefault(target, []).append(Holder(int(entry.name), name))
        except OSError:
            continue  # gone meanwhile, or another user's
    return found
