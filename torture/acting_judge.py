"""What must hold of what acted during a run: reactions, their commands, what ended it, and the curves that were drawn. Each thing is found a second way, from the samples."""

import csv
import json
from collections import Counter
from itertools import groupby, pairwise
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
from tests.runs import from_the_docs as docs

from tidybench.core.samples import channels_of, qualities_of, sequences_of, unpack
from tidybench.runs.run_state import RunState, read_state
from torture.peers import HIGH, LOW, CountingPeer
from torture.troubles import AFTER_S, BAND, LEVEL, ROWS, SETTLED_S, Script

Records = npt.NDArray[Any]

MARGIN = 100_000
"""Microseconds about a run's ends of which it is not said whose a command is."""

LATE = 2_000_000
"""Microseconds within which a run ends that nothing disturbs."""


def acting(folder: Path, script: Script, kept: list[tuple[int, int]], *, cut: bool) -> list[str]:
    """Look at a run that has ended. `kept`: what the switch peer was told, and when."""
    state = read_state(folder)
    records = unpack((folder / "samples.bin").read_bytes())
    own = records[sequences_of(records) > state.lead_sequence]
    lines = [line for line in docs.tape(folder) if line["n"] > state.lead_sequence]
    whats = {one.what for one in script.troubles}
    killed = "kill recorder" in whats or script.last != "end"
    level = _of(own, state, "talking-level")
    faults = [] if state.holes else _reactions(folder, level, lines, killed=killed, cut=cut)
    if not cut and not state.holes and "clock" not in whats:
        alone = all(one.whom != "switch-peer" for one in script.troubles) and not killed
        faults += _switched(state, lines, kept, alone=alone)
    calm = not killed and not whats & {"stop recorder", "clock", "full disk", "slow disk", "failing disk"}
    faults += _ended(folder, state, script, level, calm=calm)
    return faults


def _of(records: Records, state: RunState, key: str) -> Records:
    """What was measured of a channel."""
    number = next((one.number for one in state.channels if one.id == key), 0)
    found: Records = records[(channels_of(records) == number) & (qualities_of(records) <= 1)]
    return found


def _standing(value: float) -> str:
    return "below" if value < LOW else "above" if value > HIGH else "good"


def _reactions(
    folder: Path, level: Records, lines: list[dict[str, Any]], *, killed: bool, cut: bool
) -> list[str]:
    """It reacted whenever the samples say so, and at no other time."""
    events = [line for line in lines if line["k"] == "reaction"]
    told = [line["standing"] for line in events]
    faults = [f"it reacted to {a} twice" for a, b in pairwise(told) if a == b]
    sequences = sequences_of(level).astype(np.int64)
    for line in events:
        place = int(np.searchsorted(sequences, line["n"])) - 1
        if place < 0:
            continue
        # Of what was read at once each sample may be what it reacts to.
        newest = level["value"][sequences == sequences[place]].tolist()
        if line["standing"] not in map(_standing, newest):
            faults.append(f"line {line['n']} reacts to {line['standing']} where the level was {newest}")
    if not killed and len(level):
        made = [standing for standing, _ in groupby(_standing(one) for one in level["value"].tolist())]
        if told not in (made, made[1:]):
            faults.append(f"it reacted {len(told)} times, the samples say {len(made)}: {told} beside {made}")
    with open(folder / "marks.csv", encoding="utf-8", newline="") as file:
        marks = sum(1 for row in csv.DictReader(file) if row["text"] == "level above")
    above = told.count("above")
    if (marks > above and not cut) or (not killed and marks < above - 1):
        faults.append(f"{marks} marks of {above} reactions")
    return faults[:5]


def _switched(
    state: RunState, lines: list[dict[str, Any]], kept: list[tuple[int, int]], *, alone: bool
) -> list[str]:
    """Nothing was sent that has no line on the tape; `alone`: and everything that has one arrived."""
    begun = state.begun_at + state.lead_us + MARGIN
    ended = (state.ended_at or 0) - MARGIN
    outs = [
        (line["t"], int(line["b"][1:]))
        for line in lines
        if line["k"] == "out" and line["b"].startswith("S") and line["b"][1:2].isdigit()
    ]
    faults, left = [], [*outs]
    for at, value in kept:
        before = [one for one in left if one[1] == value and one[0] <= at]
        if before:
            left.remove(before[-1])
        elif begun < at < ended:
            faults.append(f"the switch peer was told {value} at {at}, of which the tape has no line")
    lost = [one for one in left if begun < one[0] < ended]
    if alone and lost:
        faults.append(f"{len(lost)} commands stand on the tape that never arrived, the first {lost[0]}")
    return faults[:5]


def _ended(folder: Path, state: RunState, script: Script, level: Records, *, calm: bool) -> list[str]:
    """It ended upon what its plan says, and not before. `calm`: nothing kept it from that."""
    ended = state.ended_at or 0
    lasted = ended - state.begun_at - state.lead_us
    by_itself = state.status == "ended" and "by hand" not in state.reason and "plan" in state.reason
    if not by_itself:
        return []
    first = level["time"][level["value"] > LEVEL]
    match script.ends:
        case "after a time" if lasted < AFTER_S * 1e6 or (calm and lasted > AFTER_S * 1e6 + LATE):
            return [f"it lasted {lasted / 1e6} s in place of {AFTER_S}"]
        case "with its rows":
            rows = json.loads((folder / "summary.json").read_text())["rows"]
            return [f"it has {rows} rows in place of {ROWS}"] if rows != ROWS else []
        case "on a level" if not len(first) or ended < first[0] or (calm and ended - first[0] > LATE):
            return [f"it ended at {ended}, the level was passed at {first[:1]}"]
        case "settled":
            return [] if _settled(level, ended) else ["it ended as settled, and was not"]
        case _:
            return []


def _settled(level: Records, ended: int) -> bool:
    """Whether some stretch before the end was steady."""
    times, values = level["time"].astype(np.int64), level["value"]
    for place in np.flatnonzero(times > ended - 1_500_000):
        since = times[place] - round(SETTLED_S * 1e6)
        inside = values[(times >= since) & (times <= times[place])]
        if times[0] <= since and len(inside) >= 5 and np.ptp(inside) <= BAND:
            return True
    return False


def curves(folder: Path, peers: dict[str, CountingPeer]) -> tuple[list[str], int]:
    """Captures have the samples of the run, one after the other; sweeps numbers that were sent. Gives how many rows were looked at too."""
    state = read_state(folder)
    records = unpack((folder / "samples.bin").read_bytes())
    talking = _of(records, state, "talking-n")["value"]
    faults, count = [], 0
    for path in sorted((folder / "curves").glob("*.json")) if (folder / "curves").exists() else ():
        if path.name.endswith("-metadata.json"):
            continue
        told = json.loads(path.read_text())
        table = path.with_suffix(".csv")
        with open(table, encoding="utf-8", newline="") as file:
            rows = list(csv.reader(file))[1:]
        count += len(rows)
        if told["state"] != "in progress" and len(rows) != told["rows"]:
            faults.append(f"{table.name} has {len(rows)} rows, and says {told['rows']}")
        if told["state"] == "in progress":
            faults.append(f"{table.name} says that it still comes")
        if told["name"] == "Sweep":
            sent = peers["asked-n"]
            numbers = [int(float(row[1])) for row in rows if row[1]]
            faults += [f"{table.name}: {n} was never sent" for n in numbers if n not in sent.halves]
            steps = [float(row[0]) for row in rows]
            if steps != sorted(set(steps)):
                faults.append(f"{table.name}: a step stands twice, or before the one it follows")
            continue
        have = [float(row[1]) for row in rows if row[1] and len(talking) and float(row[1]) >= talking[0]]
        if have:
            want = talking[(talking >= have[0]) & (talking <= have[-1])].tolist()
            if have != want:
                faults.append(f"{table.name} has {len(have)} numbers, the samples {len(want)}, or others")
    return faults[:5], count


def commands(
    folder: Path, script: Script, kept: list[tuple[int, int]], *, cut: bool, undisturbed: bool
) -> list[str]:
    """What a peer was told by procedures: nothing twice, nothing during the run without its line on the tape, and its safe state last. `kept`: the numbers
    that it was told, and when; `undisturbed`: no trouble was its own, so that the end could be sent."""
    state = read_state(folder)
    counted = Counter(k for _, k in kept)
    faults = [f"the command {k} was given {n} times" for k, n in counted.items() if k and n > 1]
    # What the disk did not have yet is lost with the power, also that a command was given.
    if not cut and not state.holes and all(one.what != "clock" for one in script.troubles):
        lines = {
            int(line["b"][1:])
            for line in docs.tape(folder)
            if line["k"] == "out" and line["b"].startswith("K")
        }
        begun, ended = state.begun_at + state.lead_us + MARGIN, (state.ended_at or 0) - MARGIN
        faults += [
            f"the command {k} has no line on the tape"
            for at, k in kept
            if k and k not in lines and begun < at < ended
        ]
    if undisturbed and kept and kept[-1][1] != 0:
        faults.append(f"the last command was {kept[-1][1]}: the safe state was not reached")
    return faults[:5]
