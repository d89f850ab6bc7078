"""A run folder: its name and the files in it."""

import re
import unicodedata
from datetime import datetime
from pathlib import Path

from tidybench.core.setup.calculated import CALCULATED
from tidybench.core.setup.reactions import REACTIONS
from tidybench.runs.run_state import STATE

SAMPLES = "samples.bin"
SUMMARY = "summary.json"
TAPE = "tape"
SETUPS = "set-ups"
AGAIN = "again"
LATER = "later"
MANIFEST = "manifest.json"


def slug(name: str) -> str:
    """A run's name as part of a file name: a-z, 0-9 and dashes, at most 60, never empty."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode()
    return re.sub(r"[^a-z0-9]+", "-", plain.lower()).strip("-")[:60].strip("-") or "run"


def new_folder(runs: Path, name: str, at: int) -> tuple[Path, str]:
    """Make a new run folder below `runs`; gives it and the CSV's file name."""
    local = datetime.fromtimestamp(at // 1_000_000).astimezone()
    day, clock, short = local.strftime("%Y-%m-%d"), local.strftime("%H%M%S"), slug(name)
    parent = runs / day
    parent.mkdir(parents=True, exist_ok=True)
    for suffix in ("", *(f"-{n}" for n in range(2, 1000))):
        folder = parent / f"{clock}{local.strftime('%z')}-{short}{suffix}"
        try:
            folder.mkdir()
        except FileExistsError:
            continue
        (folder / TAPE).mkdir()
        (folder / SETUPS).mkdir()
        return folder, f"{short}_{day}_{clock}{suffix}.csv"
    raise FileExistsError(f"there are a thousand runs called {short} in this second")


def setup_file(key: str) -> str:
    """What a set-up's file is called within a run's set-ups."""
    return f"{key}.toml" if key in (CALCULATED, REACTIONS) else f"{key}.setup.toml"


def run_folders(runs: Path) -> list[Path]:
    """All run folders below `runs`, oldest first."""
    return sorted(path.parent for path in runs.glob(f"*/*/{STATE}"))
