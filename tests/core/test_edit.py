"""Set-ups changed as text: comments stay, what is not changed stays to the byte."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import DEMO, setup_text
from tidybench.core.compile.edit import bare, changed, copied, free_id
from tidybench.core.compile.load import load
from tidybench.core.setup import SerialPart, SetupError, TcpPart

FLOW = setup_text("loop-flow-meter")


@pytest.mark.parametrize("path", sorted(DEMO.glob("*.setup.toml")), ids=lambda path: path.name)
def test_no_change_changes_nothing(path: "object") -> None:
    text = path.read_text("utf-8")  # type: ignore[attr-defined]
    assert changed(text, {}) == text
    setup = load(text)
    same = {"instrument": {"name": setup.instrument.name}, "framing": {"longest": setup.framing.longest}}
    assert load(changed(text, same)) == setup


def test_one_key_changes_one_line() -> None:
    out = changed(FLOW, {"link": {"baud": 19200}})
    assert [a for a, b in zip(out.splitlines(), FLOW.splitlines(), strict=True) if a != b] == ["baud = 19200"]
    assert "# after a restart it reads in m3/h" in out


def test_lists_grow_and_shrink() -> None:
    setup = load(FLOW)
    queries = [q.model_dump(exclude_unset=True) for q in setup.query]
    out = changed(FLOW, {"query": [*queries, {"id": "second", "send": "ID?\r", "every_s": 5}]})
    assert [q.id for q in load(out).query] == ["flow", "second"]
    assert [q.id for q in load(changed(out, {"query": queries})).query] == ["flow"]
    assert load(changed(FLOW, {"start": []})).start == []


def test_a_link_of_another_kind() -> None:
    link = load(changed(FLOW, {"link": {"kind": "tcp", "host": "meter", "tcp_port": 4001}})).link
    assert link == TcpPart(kind="tcp", host="meter", tcp_port=4001)


def test_what_is_wrong_is_said_and_nothing_is_given() -> None:
    with pytest.raises(SetupError, match="no such key"):
        changed(FLOW, {"link": {"bawd": 1}})
    with pytest.raises(SetupError, match="not TOML"):
        changed("[link", {})


def test_a_bare_one_only_listens() -> None:
    setup = load(
        bare({"port": "/dev/ttyS0", "baud": 2400, "sends_end": None}, "Ünknown / meter", {"nknown-meter"})
    )
    assert setup.instrument.id == "nknown-meter-2"
    assert setup.instrument.talks == "on its own"
    assert isinstance(setup.link, SerialPart)
    assert (setup.link.baud, setup.query, setup.framing.terminator) == (2400, [], "either")


def test_a_copy_keeps_all_but_names() -> None:
    copy = load(copied(FLOW, {"loop-flow-meter"}, {"loop-flow"}))
    assert (copy.instrument.id, copy.channel[0].id) == ("loop-flow-meter-2", "loop-flow-2")
    assert copy.query == load(FLOW).query
    listener = load(copied(setup_text("shaft-pickup"), {"shaft-pickup"}, set()))
    assert listener.link.address == "not chosen yet (shaft-pickup-2)"


@given(st.text(max_size=90), st.sets(st.sampled_from(["instrument", "a", "a-2", "a-3"])))
def test_an_id_can_be_made_from_any_name(name: str, taken: set[str]) -> None:
    found = free_id(name, taken)
    assert found not in taken
    load(FLOW.replace('id = "loop-flow-meter"', f'id = "{found}"'))
