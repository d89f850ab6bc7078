"""A round: a run, its troubles, its end, and what is left of it."""

import contextlib
import json
import random
import shutil
import tempfile
import time
from dataclasses import replace
from pathlib import Path
from typing import Any

import httpx

from tidybench.runs.run_state import read_state
from torture.acting_judge import acting, commands, curves
from torture.bench import TorturedBench, TortureError, wait_for
from torture.judge import Verdict, handed_on, judged
from torture.peers import PEERS
from torture.troubles import ENDS, RULES, Script, carry_out, script_of

TRIES = 12
"""Rounds that are spent on a shorter script."""


class Round:
    """Rounds on one bench. `kept`: a copy of the last run that was not well."""

    def __init__(self, bench: TorturedBench, seconds: float) -> None:
        self._bench, self._seconds = bench, seconds
        self.kept: Path | None = None
        self.script_words: list[str] = []

    def of(self, seed: int) -> tuple[Script, Verdict]:
        """The round of this seed. Raises TortureError."""
        script = script_of(seed, self._bench, self._seconds)
        return script, self.carried_out(script)

    def carried_out(self, script: Script) -> Verdict:
        """Begin a run, break it, and look at it. Raises TortureError."""
        bench = self._bench
        self.script_words = [script.words]
        names = [kind.name for kind in PEERS.values()]
        try:
            wait_for(lambda: bench.passing(names), "both peers to be read")
        except TortureError as error:
            raise TortureError(f"{error}: {bench.stands(names)}") from None
        rule = RULES[script.rule]
        begun: list[dict[str, Any]] = []

        def begin() -> bool:
            with contextlib.suppress(httpx.HTTPError):
                plan = {
                    "row_rule": rule,
                    "ends": ENDS[script.ends],
                    "begins": {"before_s": script.before_s},
                    "carry_on": script.carry_on,
                }
                answer = bench.post("/api/run", {"name": f"Torture {script.seed}", **plan})
                if answer.status_code == 201:
                    begun.append(answer.json())
            return bool(begun)

        wait_for(begin, "a run to begin")
        run = begun[0]
        folder = Path(run["folder"])
        bench.acted, bench.obeying.kept[:], bench.switched.kept[:] = False, [], []
        carry_out(bench, script)
        cut: dict[str, tuple[int, int]] = {}
        synced: dict[str, int] = {}
        if script.last == "end":
            wait_for(bench.stop_acting, "procedures to end")
            self._end(run["id"], folder)
        else:
            bench.kill_all()
            if script.last == "power cut":
                synced = bench.synced_sizes(folder)
                cut = bench.cut_power(random.Random(script.seed), folder)
                self.script_words += [f"cut: {cut}"]
            bench.start()
            if script.carry_on:
                self._end(run["id"], folder)
            wait_for(lambda: read_state(folder).status != "logging", "the run to be closed", 120)
        wait_for(lambda: self._complete(run["id"]), "the records", 120)
        time.sleep(0.5)
        peers = {key: bench.peer(key) for key in PEERS}
        verdict = judged(folder, peers, bench.database_url(), cut=bool(cut), synced=synced)
        verdict.faults += acting(folder, script, [*bench.switched.kept], cut=bool(cut))
        if not cut:
            found, verdict.curves = curves(folder, peers)
            verdict.faults += found
        if bench.acted:
            wait_for(bench.stop_acting, "procedures to end")
            time.sleep(0.5)
            undisturbed = all(one.whom != bench.obeying.name for one in script.troubles)
            verdict.faults += commands(
                folder, script, [*bench.obeying.kept], cut=bool(cut), undisturbed=undisturbed
            )
            verdict.commands = len(bench.obeying.kept)
        for file in sorted(bench.handed.iterdir()):
            verdict.faults += handed_on(file, bench.peer("talking-n"))
            verdict.handed_on += sum(1 for _ in file.open("rb"))
        if not cut:  # the tape may have lost more than the samples
            verdict.faults += self._again(run["id"])
        if verdict.faults:
            self.kept = Path(tempfile.mkdtemp(prefix="tortured-")) / folder.name
            shutil.copytree(folder, self.kept)
            (self.kept / "told.json").write_text(
                json.dumps({key: sorted(peer.told) for key, peer in peers.items()})
            )
        self._forget(run["id"])
        return verdict

    def _end(self, key: str, folder: Path) -> None:
        def ended() -> bool:
            with contextlib.suppress(httpx.HTTPError):
                self._bench.post("/api/run/end", {"run": key})
            return read_state(folder).status != "logging" and (folder / "manifest.json").exists()

        wait_for(ended, "the run to end and be sealed", 120)

    def _again(self, key: str) -> list[str]:
        """The run read again by the set-ups it began with, as a person asks for it: nothing is otherwise."""
        faults = []
        for setup in self._bench.get(f"/api/runs/{key}/again").json()["setups"]:
            answer = self._bench.post(f"/api/runs/{key}/again", {"text": setup["text"], "keep": False})
            if answer.status_code != 200:
                faults.append(f"{setup['name']} cannot be read again: {answer.text}")
                continue
            faults += [
                f"{setup['name']} read again has other samples of {one['name']}: {one}"
                for one in answer.json()["channels"]
                if one["logged"] != one["again"]
            ]
        return faults

    def _complete(self, key: str) -> bool:
        with contextlib.suppress(httpx.HTTPError, ValueError):
            return bool(self._bench.get(f"/api/runs/{key}").json().get("complete"))
        return False

    def _forget(self, key: str) -> None:
        """It makes room for the next one: the disk is small."""
        for what in ("bin", "delete"):
            answer = self._bench.post(f"/api/runs/{what}", {"runs": [key]})
            if answer.status_code != 200 or answer.json()["done"] != [key]:
                raise TortureError(f"the run cannot be put in the bin and deleted: {answer.text}")


def shortest(rounds: Round, script: Script, verdict: Verdict) -> tuple[Script, Verdict]:
    """Leave out a trouble at a time, as long as a fault is found."""
    left = list(script.troubles)
    for one in script.troubles[:TRIES]:
        if len(left) < 2:
            break
        shorter = replace(script, troubles=tuple(other for other in left if other is not one))
        with contextlib.suppress(TortureError):
            found = rounds.carried_out(shorter)
            if found.faults:
                script, verdict, left = shorter, found, [*shorter.troubles]
    return script, verdict
