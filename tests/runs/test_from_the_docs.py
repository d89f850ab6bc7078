"""The formats' documents are enough: a reader written from them alone gives what Tidy Bench gives."""

import ast
import json
import re
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tests.conftest import DEMO, ROOT
from tests.earlier_run import make_runs
from tests.runs import from_the_docs as docs
from tidybench.runs.cells import safe_text
from tidybench.runs.folder import run_folders

NOW = 1_795_416_791_000_000
FORMATS = ROOT / "docs" / "formats"


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    runs = tmp_path_factory.mktemp("runs")
    make_runs(runs, DEMO, NOW, "bench")
    [found] = run_folders(runs)
    return found


def example(document: str, number: int = 0) -> dict[str, Any]:
    """What a Python example in a document defines."""
    code = re.findall(r"```python\n(.*?)```", (FORMATS / document).read_text("utf-8"), re.DOTALL)[number]
    names: dict[str, Any] = {}
    exec(compile(code, document, "exec"), names)  # our own documents
    return names


def test_the_reader_imports_nothing_of_ours() -> None:
    tree = ast.parse((Path(__file__).parent / "from_the_docs.py").read_text("utf-8"))
    names = [n.module or "" for n in ast.walk(tree) if isinstance(n, ast.ImportFrom)]
    names += [a.name for n in ast.walk(tree) if isinstance(n, ast.Import) for a in n.names]
    assert not [name for name in names if name.startswith(("tidybench", "tests"))]


def test_bytes_of_the_tape_are_the_samples(folder: Path) -> None:
    state = json.loads((folder / "state.json").read_text())
    number = next(c["number"] for c in state["channels"] if c["id"] == "loop-flow")
    lines = docs.tape(folder)
    assert [line["n"] for line in lines] == sorted({line["n"] for line in lines})
    pattern = r"FL= *([+-]?\d+(?:\.\d*)?) +L/min +\S+"
    byte = 10 * 1e6 / 9600
    found = docs.readings(lines, "simulated/loop-flow-meter", pattern, "loop-flow-meter/flow", byte)
    assert len(found) > 1000
    assert str(found) == str(docs.samples(folder, number))


def test_samples_are_the_rows(folder: Path) -> None:
    state = json.loads((folder / "state.json").read_text())
    head, rows = docs.table(folder)
    assert head[:2] == ["time", "elapsed_s"]
    assert head[2:-1] == [f"{c['name']} [{c['unit']}]" if c["unit"] else c["name"] for c in state["channels"]]
    made = docs.steady_rows(
        state, {c["number"]: docs.samples(folder, c["number"]) for c in state["channels"]}
    )
    assert len(rows) > 1000
    assert {time: made[time] for time in rows} == rows


def test_the_document_s_own_examples_work(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    ends = example("run-folder.md")["proven"](folder)
    csv = json.loads((folder / "state.json").read_text())["csv"]
    for name in ("samples.bin", csv, "tape/0001.jsonl"):
        assert ends[name] == (folder / name).stat().st_size
    monkeypatch.chdir(folder)
    names = example("samples.md")
    assert set(np.unique(names["quality"]).tolist()) <= set(range(9))


@pytest.mark.parametrize("text", ["=1+1", "'=1+1", "''-x", "it's", "'quoted'", "-", "'", "+5 V"])
def test_a_guarded_text_is_told_from_one_with_an_apostrophe(text: str) -> None:
    assert docs.plain(safe_text(text)) == text
