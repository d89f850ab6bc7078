"""A reader of run folders written from docs/formats alone. It imports nothing of Tidy Bench, and must not."""

import csv
import gzip
import json
import re
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np

RECORD = np.dtype([("word", "<u8"), ("time", "<i8"), ("value", "<f8")])
CODES = ["", "flagged", "no-reading", "over", "under", "not-understood", "bad-check", "no-reply", "link-lost"]


def tape(folder: Path) -> list[dict[str, Any]]:
    """tape.md: JSON lines in segments; of one that is there twice the gzipped one; numbers of four digits or five."""
    found: dict[int, Path] = {}
    for path in sorted((folder / "tape").iterdir()):
        if re.fullmatch(r"\d{4,}\.jsonl(\.gz)?", path.name):
            found[int(path.name.split(".")[0])] = path
    lines = []
    for number in sorted(found):
        path = found[number]
        text = gzip.decompress(path.read_bytes()) if path.suffix == ".gz" else path.read_bytes()
        lines += [json.loads(line) for line in text.decode().split("\n") if line]
    return lines


def samples(folder: Path, channel: int) -> list[tuple[int, int, float]]:
    """samples.md: time, quality, value of one channel."""
    records = np.fromfile(folder / "samples.bin", RECORD)
    mine = records[records["word"] >> np.uint64(8) & np.uint64(0xFFFF) == channel]
    return [(int(r["time"]), int(r["word"]) & 0xFF, float(r["value"])) for r in mine]


def readings(
    lines: list[dict[str, Any]], link: str, pattern: str, query: str, byte_us: float
) -> list[tuple[int, int, float]]:
    """What one query's answers came to, from the bytes: time, quality, value."""
    found: list[tuple[int, int, float]] = []
    awaited, rest, floor, asked = 0, b"", 0, False
    for line in lines:
        if line["l"] != link:
            continue
        kind, at = line["k"], line["t"]
        if kind == "start":
            rest = line["state"]["framer"]["rest"].encode("latin-1")
        elif kind == "open":
            rest, awaited = b"", 0
        elif kind == "out":
            asked = line["p"] > 0 and line["q"] == query
            awaited = line["p"] if asked else 0  # the answers to identity, start and command are no readings
            rest, floor = b"", at
        elif kind == "in":
            data = line["b"].encode("latin-1")
            if awaited:
                rest += data
                body, end, after = rest.partition(b"\r\n")
                if end:
                    match = re.fullmatch(pattern, body.decode("ascii"))
                    time = max(round(at - len(after) * byte_us), floor)
                    if match is None:
                        found.append((time, 5, float("nan")))
                    else:
                        found.append((time, 0, float(match[1])))
                    awaited, rest = 0, b""
            floor = at
        elif kind == "gave-up" and line["poll"] == awaited:
            found.append((at, 7, float("nan")))
            awaited = 0
        elif kind == "lost":
            found.append((at, 8, float("nan")))
            awaited = 0
    return found


def steady_rows(
    state: dict[str, Any], by_channel: dict[int, list[tuple[int, int, float]]]
) -> dict[int, list[str]]:
    """run-folder.md: the cells, and the flags, of every multiple of the fastest interval, by its time."""
    intervals = [round(c["interval_s"] * 1e6) or 100_000 for c in state["channels"]]
    every = min(intervals)
    rows = {}
    for time in range(-(-state["begun_at"] // every) * every, state["ended_at"], every):
        cells, flags = [], []
        for channel, interval in zip(state["channels"], intervals, strict=True):
            name = plain(channel["name"])
            before = [one for one in by_channel[channel["number"]] if one[0] <= time]
            if not before:
                flags.append(f"{name}=no-sample")
                cells.append("")
                continue
            at, quality, value = before[-1]
            if quality >= 2:
                flags.append(f"{name}={CODES[quality]}")
            elif time - at > interval * 1.5:
                flags.append(f"{name}=no-sample")
            elif quality:
                flags.append(f"{name}={CODES[quality]}")
            measured = quality < 2 and time - at <= interval * 1.5
            cells.append(f"{value:.15g}" if measured else "")
        rows[time] = [*cells, "; ".join(flags)]
    return rows


def table(folder: Path) -> tuple[list[str], dict[int, list[str]]]:
    """The CSV: its titles, and its cells by their time (microseconds)."""
    state = json.loads((folder / "state.json").read_text())
    with open(folder / state["csv"], newline="", encoding="utf-8") as file:
        head, *rows = csv.reader(file)
    return head, {round(datetime.fromisoformat(row[0]).timestamp() * 1e3) * 1000: row[2:] for row in rows}


def plain(cell: str) -> str:
    """A text as it was before a spreadsheet was kept from running it: one apostrophe less."""
    return cell[1:] if re.match(r"'+[=+\-@\t\r]", cell) else cell
