"""A fuzzer of what people bring: set-ups, plans, reactions, procedures, expressions, tapes, run folders: python -m tests.fuzz_texts [SECONDS] [SEED].

What is wrong with a text must be said by the error that its reader is documented to raise, within a second or two, whatever stands in it. What it finds is
printed with the bytes that did it; the exit code is then 1.
"""

import itertools
import random
import shutil
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

from tests.earlier_run import make_runs
from tests.fuzz import changed
from tidybench.core.compile.load import load
from tidybench.core.expression.program import Nothing, compiled
from tidybench.core.expression.tokens import ExpressionError
from tidybench.core.plan.plan_file import PlanError, load_plan
from tidybench.core.procedure.steps import ProcedureError
from tidybench.core.procedure.text import parse
from tidybench.core.setup.calculated import load_calculations
from tidybench.core.setup.reactions import load_reactions
from tidybench.core.setup.toml import SetupError
from tidybench.core.tape.lines import TapeError, parse_tape_line
from tidybench.report.run_report import ReportError, report
from tidybench.runs.crossings import read_crossings
from tidybench.runs.folder import run_folders
from tidybench.runs.marks import read_marks
from tidybench.runs.points import read_points
from tidybench.runs.recovery import mend
from tidybench.runs.reread import reread
from tidybench.runs.seal import SealError, verify

ROOT = Path(__file__).resolve().parents[1]
SETUPS = ROOT / "src" / "tidybench" / "setups"
NOW = 1_795_416_791_000_000
LONGEST = 3.0
"""Seconds for one text."""

NESTED = [
    b"[" * 3000,
    b"{" * 3000,
    b"(" * 3000,
    b"-" * 3000,
    b"a." * 3000,
    b'{"a":' * 3000,
    b"not " * 3000,
    b"a = " + b"[" * 3000,
    b"a = " + b"{a=" * 3000,
    b"[a." * 3000,
    b"2^" * 3000,
]
EXPRESSIONS = [
    b"loop-flow * 2 + 1 [L/min]", b"mean(loop-flow, 10 s) - 3", b"sqrt(a^2 + b^2)", b"if(a > 3 [bar], a, b)", b"integral(power, 1 h)", b"a / (b - b)",
    b"rate(a, 5 s) [1/min]", b"max(a, b, 3) and not (a < 2)", b"1e308 * 10", b"((1))", b"a - 3 % 2",
]  # fmt: skip


def _texts(pattern: str) -> list[bytes]:
    return [path.read_bytes() for path in sorted(SETUPS.rglob(pattern))]


def _expression(data: bytes) -> None:
    try:
        program = compiled(
            data.decode("utf-8", "replace")[:2000],
            {"a": "bar", "b": "bar", "loop-flow": "L/min", "power": "W"},
        )
    except ExpressionError:
        return
    for at in range(0, 20_000_000, 4_000_000):
        try:
            value = program.value(at, [2.5] * len(program.inputs))
        except Nothing:
            continue
        assert value - value == 0.0, value


def _reads(reader: Callable[[str], object], *errors: type[Exception]) -> Callable[[bytes], None]:
    def read(data: bytes) -> None:
        try:
            reader(data.decode("utf-8", "replace"))
        except errors:
            pass

    return read


def _folder(sound: Path, data: bytes, place: int) -> None:
    """A run's folder of which one file is this."""
    with tempfile.TemporaryDirectory() as scratch:
        copy = Path(scratch) / "run"
        shutil.copytree(sound, copy)
        files = sorted(path for path in copy.rglob("*") if path.is_file())
        files[place % len(files)].write_bytes(data)
        for act in (
            mend,
            lambda folder: list(reread(folder)),
            verify,
            report,
            read_marks,
            read_crossings,
            read_points,
        ):
            try:
                act(copy)
            except (OSError, ValueError, SealError, ReportError, TapeError):
                continue


SOME = 0.05
"""Of a kind that takes long, so many of the texts."""


class Kind:
    """Texts of one kind: those to begin with, and what reads them. `slow`: that takes a second."""

    def __init__(
        self, name: str, corpus: list[bytes], read: Callable[[bytes], None], slow: bool = False
    ) -> None:
        self.name, self.corpus, self.read, self.slow = name, corpus, read, slow


def kinds(folder: Path) -> list[Kind]:
    """All of them; `folder`: a run's."""
    tape = (folder / "tape" / "0001.jsonl").read_bytes().splitlines()[:400]
    files = sorted(path for path in folder.rglob("*") if path.is_file())
    return [
        Kind("set-up", _texts("*.setup.toml"), _reads(load, SetupError)),
        Kind("plan", _texts("*.plan.toml"), _reads(load_plan, PlanError)),
        Kind("reactions", _texts("reactions.toml"), _reads(load_reactions, SetupError)),
        Kind("calculations", _texts("calculated.toml"), _reads(load_calculations, SetupError)),
        Kind("procedure", _texts("*.procedure"), _reads(parse, ProcedureError)),
        Kind("expression", [*EXPRESSIONS], _expression),
        Kind("line of a tape", tape, _reads(parse_tape_line, TapeError)),
        *(
            Kind(f"run folder's {path.relative_to(folder)}", [path.read_bytes()[:200_000]], partial(_folder, folder, place=place), slow=True)
            for place, path in enumerate(files)
        ),
    ]  # fmt: skip


def run(seconds: float, seed: int) -> int:
    """Fuzz for so long; gives the number of faults found."""
    chance = random.Random(seed)
    faults = tried = 0
    with tempfile.TemporaryDirectory() as runs:
        make_runs(Path(runs), ROOT / "src" / "tidybench" / "setups" / "demo", NOW, "bench")
        [folder] = run_folders(Path(runs))
        all_kinds = kinds(folder)
        until = time.monotonic() + seconds
        for kind in itertools.cycle(all_kinds):
            if time.monotonic() > until or faults >= 5:
                break
            corpus = [*kind.corpus, *NESTED]
            data = chance.choice(corpus)
            for _ in range(chance.randint(0, 4)):
                data = changed(data, chance, corpus)
            if kind.slow and chance.random() > SOME:
                continue
            tried += 1
            begun = time.monotonic()
            try:
                kind.read(data)
                took = time.monotonic() - begun
                assert took < LONGEST * (20 if kind.slow else 1), f"it took {took:.1f} s"
            except Exception as error:
                faults += 1
                print(f"{kind.name}: {type(error).__name__}: {error}\n    {data[:3000]!r}", flush=True)
    print(f"{tried} texts of {len(all_kinds)} kinds, {faults} faults")
    return faults


if __name__ == "__main__":
    given = [float(one) for one in sys.argv[1:]]
    sys.exit(1 if run(given[0] if given else 60.0, int(given[1]) if len(given) > 1 else 1) else 0)
