"""A run folder: its name, its files and the state that describes it."""

import csv
import json
import os
import re
import unicodedata
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, Field

from tidybench.core.channels.scaling import words
from tidybench.core.setup import ChannelPart, Setup
from tidybench.core.setup.calculated import CALCULATED
from tidybench.runs.stamps import parse

STATE = "state.json"
SAMPLES = "samples.bin"
MARKS = "marks.csv"
CROSSINGS = "crossings.csv"
SUMMARY = "summary.json"
RowRule = Literal["steady rows", "each reading"]


class RunChannel(BaseModel):
    """A channel as it was when the run began; `number` stands in samples.bin. `steps`: its scaling behind scale and
    offset, in words; `expression`: of a calculated one. `calibration`: what its certificate says."""

    number: int
    id: str
    name: str
    unit: str
    decimals: int
    interval_s: float
    instrument: str
    instrument_name: str
    scale: float
    offset: float
    low: float | None = None
    high: float | None = None
    steps: list[str] = []
    zero: float = 0.0
    expression: str = ""
    calibration: dict[str, str] = {}

    @property
    def title(self) -> str:
        """The CSV's column title."""
        return f"{self.name} [{self.unit}]" if self.unit else self.name

    @property
    def scaling(self) -> str:
        """How its values are made, in one line."""
        if self.expression:
            return self.expression
        parts = [f"field x {self.scale:.15g} + {self.offset:.15g}", *self.steps]
        if self.zero:
            parts.append(f"zeroed: {self.zero:.15g} taken off")
        return "; ".join(parts)

    @property
    def certificate(self) -> str:
        """What is known of its calibration, in one line."""
        return ", ".join(f"{key} {value}" for key, value in self.calibration.items())


def run_channel(setup: Setup, channel: ChannelPart, number: int, zero: float = 0.0) -> RunChannel:
    """A channel of a set-up as a run freezes it; `zero`: what is taken off its values."""
    calibration = channel.calibration or setup.instrument.calibration
    certificate = calibration.model_dump() if calibration is not None else {}
    return RunChannel(
        number=number,
        id=channel.id,
        name=channel.name,
        unit=channel.unit,
        decimals=channel.decimals,
        interval_s=setup.interval_of(channel),
        instrument=setup.instrument.id,
        instrument_name=setup.instrument.name,
        scale=channel.scale,
        offset=channel.offset,
        low=channel.limits.low,
        high=channel.limits.high,
        steps=[words(step) for step in channel.scaling],
        zero=zero,
        calibration={key: str(value) for key, value in certificate.items() if value},
    )


class RunCounts(BaseModel):
    """What went by in a run so far, exact at `sequence`."""

    sequence: int = 0
    polls: int = 0
    missed: int = 0
    gave_up: int = 0
    lost: int = 0


class RunState(BaseModel):
    """state.json: what a run is and how it stands. Times in microseconds since 1970 UTC."""

    format: Literal[1] = 1
    id: str
    bench: str
    name: Annotated[str, Field(max_length=120)]
    item: Annotated[str, Field(max_length=120)] = ""
    operator: Annotated[str, Field(max_length=120)] = ""
    row_rule: RowRule = "steady rows"
    begun_at: int
    ended_at: int | None = None
    status: Literal["logging", "ended", "interrupted"] = "logging"
    reason: str = ""
    csv: str
    channels: list[RunChannel]
    later: dict[str, int] = {}
    counts: RunCounts = RunCounts()
    repairs: list[str] = []


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
        (folder / "tape").mkdir()
        (folder / "set-ups").mkdir()
        return folder, f"{short}_{day}_{clock}{suffix}.csv"
    raise FileExistsError(f"there are a thousand runs called {short} in this second")


def setup_file(key: str) -> str:
    """What a set-up's file is called within a run's set-ups."""
    return "calculated.toml" if key == CALCULATED else f"{key}.setup.toml"


def write_whole(path: Path, text: str) -> None:
    """Write a file so that a crash leaves the old one or the new one, never half of one."""
    temporary = path.with_name(path.name + ".new")
    with open(temporary, "w", encoding="utf-8") as file:
        file.write(text)
        file.flush()
        os.fsync(file.fileno())
    temporary.replace(path)


def write_state(folder: Path, state: RunState) -> None:
    """Write state.json."""
    write_whole(folder / STATE, state.model_dump_json(indent=1))


def read_state(folder: Path) -> RunState:
    """Read state.json; raises OSError or ValueError."""
    return RunState.model_validate_json((folder / STATE).read_bytes())


def run_folders(runs: Path) -> list[Path]:
    """All run folders below `runs`, oldest first."""
    return sorted(path.parent for path in runs.glob(f"*/*/{STATE}"))


def safe_text(text: str) -> str:
    """A CSV cell's text that no spreadsheet runs as a formula."""
    return "'" + text if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text


def csv_cell(text: str) -> str:
    """A text cell as RFC 4180 wants it, formulas neutralised."""
    text = safe_text(text)
    return '"' + text.replace('"', '""') + '"' if any(c in text for c in ',"\r\n') else text


def plain_text(cell: str) -> str:
    """A cell's text without the apostrophe that keeps spreadsheets from running it."""
    return cell[1:] if cell[:1] == "'" and cell[1:2] in ("=", "+", "-", "@") else cell


@dataclass(slots=True, frozen=True)
class Mark:
    """A mark of a run; `at` in microseconds (whole milliseconds) since 1970 UTC."""

    at: int
    text: str
    by: str


def read_marks(folder: Path) -> list[Mark]:
    """The marks of a run; raises OSError or ValueError. A torn line is left out."""
    with open(folder / MARKS, encoding="utf-8", newline="") as file:
        rows = list(csv.reader(file))[1:]
    return [Mark(parse(row[0]), plain_text(row[2]), plain_text(row[3])) for row in rows if len(row) == 4]


@dataclass(slots=True, frozen=True)
class CrossingLine:
    """A line of crossings.csv; `limit` is None where none was crossed."""

    at: int
    channel: str
    state: str
    value: float
    limit: float | None


def read_crossings(folder: Path, most: int = 500) -> list[CrossingLine]:
    """The first crossings of a run; [] where its folder has none. A torn line is left out."""
    found = []
    try:
        with open(folder / CROSSINGS, encoding="utf-8", newline="") as file:
            for row in list(csv.reader(file))[1 : most + 1]:
                if len(row) == 6:
                    limit = float(row[5]) if row[5] else None
                    found.append(
                        CrossingLine(parse(row[0]), plain_text(row[2]), row[3], float(row[4]), limit)
                    )
    except (OSError, ValueError):
        pass  # an older run, or a torn line
    return found


def metadata(state: RunState) -> str:
    """The sidecar: W3C CSV on the Web metadata (Tabular Data Model, 2015) of the run's CSV."""
    units = {"ms": "schema:unitText"}
    columns: list[dict[str, object]] = [
        {"name": "time", "titles": "time", "datatype": "dateTimeStamp", "required": True},
        {"name": "elapsed_s", "titles": "elapsed_s", "datatype": "double", units["ms"]: "s"},
    ]
    for channel in state.channels:
        columns.append(
            {
                "name": re.sub(r"[^A-Za-z0-9_]", "_", channel.id),
                "titles": safe_text(channel.title),
                "datatype": "double",
                "schema:unitText": channel.unit,
                "schema:measurementTechnique": channel.instrument_name,
                "dc:description": channel.scaling,
                **({"schema:measurementMethod": certificate} if (certificate := channel.certificate) else {}),
            }
        )
    columns.append({"name": "flags", "titles": "flags", "datatype": "string"})
    zone = datetime.fromtimestamp(state.begun_at // 1_000_000).astimezone()
    table = {
        "@context": ["http://www.w3.org/ns/csvw", {"@language": "en"}],
        "url": state.csv,
        "dc:title": state.name,
        "dc:creator": state.operator,
        "dc:subject": state.item,
        "dc:identifier": state.id,
        "dc:description": f"Row rule: {state.row_rule}. Time zone at the beginning: {zone.strftime('%z')} {zone.tzname()}.",
        "dialect": {"encoding": "utf-8", "lineTerminators": ["\r\n"], "header": True, "quoteChar": '"'},
        "tableSchema": {"columns": columns},
    }
    return json.dumps(table, indent=1, ensure_ascii=False)
