"""./tidy play TAPE: the instruments of a saved tape on pseudo-terminals, answering as they did, at their pace."""

import re
import sys
import time
from collections.abc import Callable, Iterator
from itertools import count
from pathlib import Path

from tidybench.core.compile.load import load
from tidybench.core.rehearsal.played import Played
from tidybench.core.tape.events import Event
from tidybench.core.tape.lines import TapeError, parse_tape_line
from tidybench.runs.again import frozen_texts
from tidybench.runs.folder import TAPE
from tidybench.runs.taken_out import taken_out
from tidybench.runs.tape import read_tape
from tidybench.standins.played_port import PlayedPort, TapeClock
from tidybench.wire.places import Places


def events_of(path: Path) -> Iterator[tuple[int, str, Event]]:
    """Of a run folder, the folder of its tape, or a file of a tape's lines. Raises TapeError, OSError."""
    if path.is_file():
        with open(path, encoding="utf-8") as lines:
            for number, line in enumerate(lines, 1):
                try:
                    yield parse_tape_line(line)
                except TapeError as error:
                    raise TapeError(f"{path.name}, line {number}: {error}") from error
        return
    if (gone := taken_out(path)) is not None:
        raise ValueError(gone.words)
    folder = path / TAPE if (path / TAPE).is_dir() else path
    if not folder.is_dir():
        raise FileNotFoundError(2, "there is no such folder or file", str(path))
    yield from read_tape(folder)


def run(path: Path, places: Places, until: Callable[[], bool] | None = None) -> int:
    """Play it until Ctrl-C (or until `until` is true); gives the exit code."""
    try:
        played = Played(events_of(path))
    except TapeError as error:
        print(f"{path} is no tape: {error}", file=sys.stderr)
        return 1
    except (UnicodeDecodeError, EOFError):
        print(f"{path} is no tape: it is not text, or it was cut off.", file=sys.stderr)
        return 1
    except OSError as error:
        print(f"{path} cannot be read: {error.strerror or error}.", file=sys.stderr)
        return 1
    except ValueError as error:
        print(f"{path}: {error}", file=sys.stderr)
        return 1
    if path.is_dir():
        played.introduce([load(text) for _, text in frozen_texts(path).values()])
    places.simulated.mkdir(parents=True, exist_ok=True)
    clock = TapeClock(played)
    names: list[str] = []
    for link in played.links:  # an instrument may have been on two ports
        name = _name(link, played)
        free = (f"{name}-{number}" for number in count(2))
        names.append(name if name not in names else next(one for one in free if one not in names))
    ports = [
        PlayedPort(places.simulated / f"played-{name}", played, link, clock)
        for name, link in zip(names, played.links, strict=True)
    ]
    for port in ports:
        port.start()
    length = (played.last - played.first) / 1e6
    print(f"{length:.0f} s of tape, over and over. Set the instruments' ports to these:")
    for port, (link, known) in zip(ports, played.links.items(), strict=True):
        said = _so_many(len(known.queries), "query", "queries") if known.queries else "talks on its own"
        commands = _so_many(len(known.commands), "command", "commands")
        print(f"  simulated/{Path(port.address).name}   plays {link} ({said}, {commands})")
    print("Ctrl-C ends it.", flush=True)
    try:
        while until is None or not until():
            time.sleep(0.2)
    except KeyboardInterrupt:
        pass
    for port in ports:
        port.stop()
        if port.unknown:
            times = _so_many(port.unknown, "time", "times")
            print(f"{Path(port.address).name}: {times} something came that the tape does not have; it was not answered.")  # fmt: skip
    return 0


def _so_many(number: int, one: str, many: str) -> str:
    return f"{number} {one if number == 1 else many}"


def _name(link: str, played: Played) -> str:
    """A link's name as part of a file's: that of its instrument, where there is one alone."""
    known = played.links[link].instruments
    name = next(iter(known)) if len(known) == 1 else Path(link).name
    return re.sub(r"[^a-z0-9.-]+", "-", name.lower()).strip("-") or "port"
