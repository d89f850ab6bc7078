"""Every example in docs/formats is true: sheets load, and what a table says that a message gives, it gives."""

import math
import re
import tomllib
from typing import Any

import pytest

from tests.conftest import ROOT
from tidybench.core.compile.load import from_data
from tidybench.core.quality import Quality
from tidybench.core.reading.form import Form
from tidybench.core.reading.forms import make_forms
from tidybench.core.reading.pattern import compile_pattern
from tidybench.core.reading.stop import Stop
from tidybench.core.setup.calculated import load_calculations
from tidybench.core.setup.talk import ListenPart

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
    if "calculated" in data:
        assert load_calculations(text).calculated
        return
    made = {**HEAD, **data, "instrument": {**HEAD["instrument"], **data.get("instrument", {})}}
    if not {"query", "listen", "modbus"} & made.keys():
        # A channel shown by itself: its field comes from somewhere.
        fields = ";".join(f"<{channel['field']}>" for channel in made.get("channel", []))
        made["listen"] = {"patterns": [fields]}
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
