"""The library: set-ups that come with Tidy Bench, to begin with."""

from dataclasses import dataclass
from functools import cache
from pathlib import Path

from tidybench.core.compile.load import load

FOLDER = Path(__file__).resolve().parent / "setups" / "library"


@dataclass(slots=True, frozen=True)
class LibrarySetup:
    """One of them: its key, what it is called, what its first line says, its TOML."""

    key: str
    name: str
    about: str
    text: str


@cache
def shelf() -> tuple[LibrarySetup, ...]:
    """All of them, by name. Raises SetupError where one of ours is wrong."""
    found = []
    for path in FOLDER.glob("*.setup.toml"):
        text = path.read_text("utf-8")
        about = text.split("\n", 1)[0].removeprefix("#").strip() if text.startswith("#") else ""
        found.append(
            LibrarySetup(path.name.removesuffix(".setup.toml"), load(text).instrument.name, about, text)
        )
    return tuple(sorted(found, key=lambda one: one.name))
