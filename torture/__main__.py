"""python -m torture [--minutes N] [--seed S] [--rounds N] [--seconds N]: breaks a bench until time is up, a fault is found or Ctrl-C."""

import argparse
import json
import random
import sys
import tempfile
import time
from pathlib import Path

from torture.bench import DISK_MB, TorturedBench, TortureError
from torture.rounds import Round, shortest
from torture.small_disk import small_disk

MOST = 12
"""Faults that are printed of a round."""


def main() -> int:
    """Gives the exit code: 0 where nothing was found."""
    parser = argparse.ArgumentParser(prog="./tidy torture", description=__doc__)
    parser.add_argument("--minutes", type=float, default=10.0, help="until it is enough (10)")
    parser.add_argument("--rounds", type=int, default=10**9, help="at most so many")
    parser.add_argument("--seconds", type=float, default=8.0, help="that each run is broken for (8)")
    parser.add_argument("--seed", type=int, help="of the first round; each round has the next one")
    given = parser.parse_args()
    seed = given.seed if given.seed is not None else random.SystemRandom().randrange(10**6)
    until = time.monotonic() + given.minutes * 60
    totals = {
        "rounds": 0,
        "samples": 0,
        "rows": 0,
        "numbers": 0,
        "holes": 0,
        "commands": 0,
        "points": 0,
        "handed_on": 0,
        "curves": 0,
    }
    print(f"first seed {seed}", flush=True)
    with (
        tempfile.TemporaryDirectory(prefix="torture-") as folder,
        small_disk(Path(folder) / "data", DISK_MB) as small,
    ):
        if not small:
            print("No disk can be mounted here: without full disks.", flush=True)
        bench = TorturedBench(Path(folder) / "data", small)
        rounds = Round(bench, given.seconds)
        try:
            bench.start()
            while time.monotonic() < until and totals["rounds"] < given.rounds:
                script, verdict = rounds.of(seed)
                totals["rounds"] += 1
                for name in (
                    "samples",
                    "rows",
                    "numbers",
                    "holes",
                    "commands",
                    "points",
                    "handed_on",
                    "curves",
                ):
                    totals[name] += getattr(verdict, name)
                print(f"seed {seed}: {len(script.troubles)} troubles, {script.last}; {verdict.samples} samples, {verdict.rows} rows, {verdict.numbers} numbers, {verdict.holes} holes, {verdict.commands} commands, {verdict.points} means of points, {verdict.handed_on} handed on, {verdict.curves} rows of curves", flush=True)  # fmt: skip
                if verdict.faults:
                    print(script.words, *verdict.faults[:MOST], sep="\n", flush=True)
                    print("Looking for a shorter script …", flush=True)
                    script, verdict = shortest(rounds, script, verdict)
                    print(
                        "The shortest that was found:",
                        script.words,
                        *verdict.faults[:MOST],
                        sep="\n",
                        flush=True,
                    )
                    print(f"The run: {rounds.kept}", flush=True)
                    return 1
                seed += 1
        except TortureError as error:
            print(f"seed {seed}: {error}", *rounds.script_words, sep="\n", flush=True)
            return 1
        except KeyboardInterrupt:
            print("stopped", flush=True)
        finally:
            bench.close()
    print(json.dumps(totals))
    return 0


if __name__ == "__main__":
    sys.exit(main())
