"""Every example in docs/formats is true: sheets load, and what a table says that a message gives, it gives."""

import json
import math
import re
import tomllib
from pathlib import Path
from typing import Any, get_args

import pytest

from tests.conftest import ROOT
from tidybench.core.batch import Batch
from tidybench.core.channels.calculator import Calculator, Known
from tidybench.core.compile.load import from_data
from tidybench.core.plan.plan_file import load_plan
from tidybench.core.quality import Quality
from tidybench.core.reading.form import Form
from tidybench.core.reading.forms import make_forms
from tidybench.core.reading.pattern import compile_pattern
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.calculated import CalculatedPart, load_calculations
from tidybench.core.setup.destinations import ToMqtt, load_destinations
from tidybench.core.setup.reactions import load_reactions
from tidybench.core.setup.talk import ListenPart
from tidybench.core.tape.events import Event
from tidybench.core.tape.lines import parse_tape_line, tape_line
from tidybench.core.values.statistics import Statistics
from tidybench.runs.checks import parse_check
from tidybench.runs.crossings import CROSSINGS, crossing_row, read_crossings
from tidybench.runs.log import summary_text
from tidybench.runs.marks import MARKS, read_marks
from tidybench.runs.run_state import RunState
from tidybench.runs.stats import RunStats

FORMATS = ROOT / "docs" / "formats"
HEAD: dict[str, Any] = {"instrument": {"id": "i", "name": "I"}, "link": {"port": "none"}}
QUALITIES = {"no reading": Quality.NO_READING, "over": Quality.OVER, "under": Quality.UNDER}


def text_of(document: str) -> str:
    return (FORMATS / document).read_text("utf-8")


def sheets() -> list[tuple[str, str]]:
    found = []
    for path in sorted(FORMATS.glob("*.md")):
        found += [
            (path.name, block)
            for block in re.findall(r"```toml\n(.*?)```", path.read_text("utf-8"), re.DOTALL)
        ]
    return found


def rows(document: str) -> list[tuple[str, str, str]]:
    """Pattern or reader, message, what it gives: the rows of the table “What each gives”."""
    table = text_of(document).split("## What each gives")[1]
    found = []
    for line in table.splitlines():
        cells = re.split(r"(?<!\\) \| ", line.strip().strip("|").strip())
        if len(cells) == 3 and cells[0].startswith("`"):
            source = cells[0].strip("`").replace(r"\|", "|")
            found.append((source, "".join(re.findall(r"`([^`]*)`", cells[1])), cells[2]))
    return found


def bytes_of(text: str) -> bytes:
    return re.sub(r"\\x([0-9A-F]{2})", lambda found: chr(int(found[1], 16)), text).encode("latin-1")


def compared(form: Form, message: bytes, gives: str) -> None:
    got = form.read(message)
    assert isinstance(got, dict), got
    for said in gives.split(", "):
        name, _, meant = re.split(r" (=|is) | (?=no reading|over$|under$)", said, maxsplit=1) if " = " in said or " is " in said else (said.split(" ", 1)[0], "", said.split(" ", 1)[1])  # fmt: skip
        quality, value = got[name]
        if meant in QUALITIES:
            assert quality is QUALITIES[meant], said
            assert isinstance(value, float)
            assert math.isnan(value)
        elif " is " in said:
            assert value == meant
        else:
            assert value == pytest.approx(float(meant.removesuffix(" flagged")), rel=1e-12), said
            assert quality is (Quality.FLAGGED if meant.endswith("flagged") else Quality.OK), said


@pytest.mark.parametrize(("source", "message", "gives"), rows("message-patterns.md"))
def test_patterns_give_what_is_said(source: str, message: str, gives: str) -> None:
    compared(compile_pattern(source, "latin-1"), bytes_of(message), gives)


@pytest.mark.parametrize(("source", "message", "gives"), rows("readers.md"))
def test_readers_give_what_is_said(source: str, message: str, gives: str) -> None:
    part = ListenPart.model_validate({"reader": tomllib.loads(f"reader = {source}")["reader"]})
    wanted = {re.split(r" (?:=|is|no|over|under)", said)[0] for said in gives.split(", ")}
    [form] = make_forms(part, "latin-1", wanted)
    compared(form, bytes_of(message), gives)


def test_every_pattern_in_the_text_compiles() -> None:
    text = text_of("message-patterns.md").split("## What each gives")[0]
    codes = [
        code for code in re.findall(r"`([^`\n]*)`", text) if re.search(r"<[a-z]", code) and "…" not in code
    ]
    codes += re.findall(r"^    (\S.*)$", text, re.MULTILINE)
    assert len(codes) > 15
    for code in codes:
        assert not isinstance(compile_pattern(code.replace(r"\|", "|"), "latin-1"), Stop), code


@pytest.mark.parametrize(("document", "text"), sheets())
def test_every_sheet_loads(document: str, text: str) -> None:
    data = tomllib.loads(text)
    if document == "plans.md":
        assert load_plan(text).ends.by_itself
        return
    if document == "reactions.md":
        assert len(load_reactions(text).reaction) == 2
        return
    if document == "destinations.md":
        [one] = load_destinations(text).destination
        assert one.pattern.endswith("\r\n") or isinstance(one.to, ToMqtt)
        return
    if "calculated" in data:
        assert load_calculations(text).calculated
        return
    made = {**HEAD, **data, "instrument": {**HEAD["instrument"], **data.get("instrument", {})}}
    if not {"query", "listen", "modbus"} & made.keys():
        # A channel shown by itself: its field comes from somewhere.
        fields = ";".join(f"<{channel['field']}>" for channel in made.get("channel", []))
        made["listen"] = {"patterns": [fields] if fields else []}
    if "listen" in made:
        made["instrument"].setdefault("talks", "on its own")
    assert from_data(made).instrument.id == "i"


def test_there_is_an_example_of_every_kind_and_option() -> None:
    from tidybench.core.reading.element import KINDS
    from tidybench.core.setup.readers import READER_TAGS

    said = " ".join(source for source, _, _ in rows("message-patterns.md"))
    shown = {kind for kind in KINDS if f":{kind}" in said} | {"number"}
    described = set(re.findall(r"^  \| `([a-z]+)", text_of("message-patterns.md"), re.MULTILINE))
    assert set(KINDS) - shown <= {"text", "choice", "bits"}
    assert set(KINDS) - described <= {"sint"}
    assert {source.split('"')[1] for source, _, _ in rows("readers.md")} == set(READER_TAGS)


# ---- expressions


def expression_rows() -> list[tuple[str, str, str]]:
    """Expression, unit, what it gives."""
    table = text_of("expressions.md").split("## What each gives")[1]
    return [
        (cells[0].strip(" `"), cells[1].strip(" `"), cells[2].strip())
        for cells in (line.strip("|\n").split("|") for line in table.splitlines() if line.startswith("| `"))
    ]


def given_values() -> dict[str, tuple[float, str]]:
    """The channels that the table is about: value and unit, from the sentence in front of it."""
    sentence = text_of("expressions.md").split("With these values: ")[1].split("(measured in")[0]
    found = re.findall(r'`"?([a-z-]+)"?` ?(-?[\d.]+)? ?([^,`]*)', sentence)
    values = {name: (float(value), unit.strip()) for name, value, unit in found if value}
    return {**values, "gone": (math.nan, "bar")}


def calculated(expression: str, unit: str) -> tuple[str, list[tuple[int, float]]]:
    """Its problem, and the quality and value of each of its samples: the channels came once a second for 10 s."""
    given = given_values()
    known = [Known(n, name, unit, 1.0) for n, (name, (_, unit)) in enumerate(given.items(), 1)]
    part = CalculatedPart.model_validate({"id": "x", "name": "X", "expression": expression, "unit": unit})
    one = Calculator([part], known, {"x": 99})
    found = []
    for second in range(11):
        batch = Batch()
        for n, (value, _) in enumerate(given.values(), 1):
            quality = Quality.NO_REPLY if math.isnan(value) else Quality.OK
            batch.add(n, quality, second * 1_000_000, value)
        came = one.feed(batch)
        found += list(zip([w & 0xFF for w in came.words], came.values, strict=True)) if came else []
    return one.all[0].problem, found


@pytest.mark.parametrize(("expression", "unit", "gives"), expression_rows())
def test_expressions_give_what_is_said(expression: str, unit: str, gives: str) -> None:
    problem, found = calculated(expression, unit)
    assert not problem
    quality, value = found[-1]
    if gives == "no reading":
        assert quality == Quality.NO_READING
    else:
        assert (quality, value) == (Quality.OK, pytest.approx(float(gives), rel=1e-5, abs=1e-12))


def test_every_function_has_an_example_and_what_is_refused_is_refused() -> None:
    text = text_of("expressions.md")
    shown = {name for source, _, _ in expression_rows() for name in re.findall(r"\b(\w+)\(", source)}
    told = set(re.findall(r"`(\w+)[`(]", "".join(re.findall(r"^\| (`[^|]*) \|", text, re.MULTILINE)[10:])))
    assert {"if", "sin", "rate", "time_since"} <= shown
    assert {name for name in told if f"`{name}(" in text or name in ("max_over", "exp")} - {"c"} <= shown
    refused = re.findall(r"`([^`]+)`(?: as `([^`]+)`)?", text.split("These are refused: ")[1])
    assert len(refused) == 5
    for expression, unit in refused:
        assert re.search(r"[^.]\.$", calculated(expression, unit)[0]), expression


# ---- tape and run folder


def blocks(document: str, kind: str) -> list[list[str]]:
    found = re.findall(rf"```{kind}\n(.*?)```", text_of(document), re.DOTALL)
    return [block.splitlines() for block in found]


def test_lines_of_the_tape_are_what_is_written_and_one_of_each_is_there() -> None:
    [lines] = blocks("tape.md", "json")
    kinds = set()
    for line in lines:
        number, link, event = parse_tape_line(line)
        assert tape_line(number, link, event) == line
        told = json.loads(line)
        row = next(one for one in text_of("tape.md").splitlines() if one.startswith(f"| `{event.kind}` |"))
        assert [key for key in told if key not in "ntlk" and f"`{key}`" not in row] == []
        kinds.add(type(event))
    assert kinds == set(get_args(Event))


def test_lines_of_the_run_folder_are_what_is_written(tmp_path: Path) -> None:
    [[check]] = blocks("run-folder.md", "json")
    assert parse_check(check, tmp_path).rows == 812
    with pytest.raises(ValueError, match="does not prove itself"):
        parse_check(check.replace("812", "813"), tmp_path)
    marks, crossings = blocks("run-folder.md", "csv")
    for name, lines in ((MARKS, marks), (CROSSINGS, crossings)):
        (tmp_path / name).write_text("".join(f"{line}\r\n" for line in lines))
    begun = 1_795_416_791_420_240
    [mark] = read_marks(tmp_path)
    assert (mark.text, mark.by) == ("valve to 60 %", "M. Okafor")
    told = read_crossings(tmp_path)
    assert [(one.value, one.word) for one in told] == [(203.25, ""), (None, "FAULT")]
    assert crossing_row(told[0], begun).rstrip() == crossings[1]


def test_every_key_of_state_and_summary_is_told(tmp_path: Path) -> None:
    text = text_of("run-folder.md")
    state = text.split("## state.json")[1].split("## summary.json")[0]
    assert [key for key in RunState.model_fields if f"`{key}`" not in state] == []
    made = RunState(id="r", bench="b", name="n", begun_at=1, csv="c.csv", channels=[])
    summary = text.split("## summary.json")[1].split("\n## ")[0]
    told = {*json.loads(summary_text(made, RunStats([]), 0)), *Statistics.model_fields}
    assert [key for key in told if f"`{key}`" not in summary] == []
