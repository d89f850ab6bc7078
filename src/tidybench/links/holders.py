"""Which program holds a port."""

import os
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
    target = os.path.realpath(path)
    found: list[Holder] = []
    own = os.getpid()
    for entry in proc.glob("[0-9]*"):
        if int(entry.name) == own:
            continue
        try:
            links = [os.readlink(fd) for fd in (entry / "fd").iterdir()]
            if target in links:
                found.append(Holder(int(entry.name), (entry / "comm").read_text().strip() or "a program"))
        except OSError:
            continue  # gone meanwhile, or another user's
    return found
