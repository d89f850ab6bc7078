"""Settings worked out, addresses found, ports listened to, cables proved: against stand-ins on real ports."""

from collections.abc import Callable

import pytest
from pydantic import ValidationError

from tests.conftest import RecorderProcess, Shop, setup_text, wait_for
from tidybench.links.holders import holders
from tidybench.standins.device import Device
from tidybench.standins.instruments import (
    BearingMonitor,
    LoopBackPlug,
    PressurePair,
    SealRig,
    ShaftPickup,
    ValvePositioner,
)
from tidybench.wire.ports import ReleasePort, TakeBackPort
from tidybench.wire.protocol import Answer, Request
from tidybench.wire.searches import GetSearch, SearchStatus, StartSearch, StopSearch
from tidybench.wire.setups import ApplySetups, SetupText


@pytest.fixture
def ask(recorder: RecorderProcess) -> Callable[[Request], Answer]:
    recorder.start()
    return lambda request: recorder.client.ask(request)[0]


Ask = Callable[[Request], Answer]


def look(ask: Ask, number: int) -> SearchStatus:
    found = ask(GetSearch(search=number)).search
    assert found is not None
    return found


def run(ask: Ask, request: StartSearch, seconds: float = 60) -> SearchStatus:
    """A search, to its end."""
    begun = ask(request).search
    assert begun is not None
    wait_for(lambda: look(ask, begun.id).done, "the search to end", seconds)
    return look(ask, begun.id)


def search(kind: str, *ports: str, **more: object) -> StartSearch:
    return StartSearch.model_validate({"search": kind, "ports": [f"simulated/{p}" for p in ports], **more})


@pytest.mark.parametrize("kind", [ShaftPickup, SealRig])
def test_settings_are_worked_out_by_listening(ask: Ask, shop: Shop, kind: type[Device]) -> None:
    shop.plug_in(kind)
    found = run(ask, search("settings", kind.name))
    assert found.found is not None
    own = kind.line
    assert (found.found.settings["baud"], found.found.settings["data_bits"]) == (own.baud, own.data_bits)
    assert found.found.settings["parity"] == own.parity
    assert " fits: " in found.sentence
    assert len(found.rows) > 1  # the evidence of what did not fit is there too


def test_settings_are_worked_out_by_asking_only_where_a_query_is_given(ask: Ask, shop: Shop) -> None:
    valve = shop.plug_in(ValvePositioner)
    silent = run(ask, search("settings", "valve-positioner"))
    assert "says nothing by itself" in silent.sentence
    assert valve.queries == 0
    asked = run(ask, search("settings", "valve-positioner", query="VP?\r"))
    assert asked.found is not None
    assert asked.found.settings["baud"] == 9600
    unplugged = run(ask, search("settings", "nothing-here"))
    assert "There is no port" in unplugged.sentence


def test_a_search_can_be_stopped_and_gives_the_port_back(
    ask: Ask, shop: Shop, recorder: RecorderProcess
) -> None:
    text = setup_text("power-analyser")
    assert ask(ApplySetups(setups=[SetupText(id="power-analyser", text=text)])).trouble == ""
    wait_for(recorder.all_passing, "passing")
    begun = ask(search("settings", "power-analyser", query="NONSENSE\n")).search
    assert begun is not None
    assert ask(search("loop-back", "power-analyser")).trouble == "conflict"
    wait_for(lambda: recorder.status().instruments[0].stages[0].words == "searching", "the port to be lent")
    assert not recorder.status().instruments[0].released
    assert "search has the port" in recorder.status().instruments[0].stages[0].sentence
    stopped = ask(StopSearch(search=begun.id)).search
    assert stopped is not None
    assert stopped.done
    assert "Stopped" in stopped.sentence
    wait_for(recorder.all_passing, "the port to be taken back")
    assert ask(GetSearch(search=99)).trouble == "not found"
    # Fault 26: a port that a person released meanwhile came back with the search's end.
    begun = ask(search("settings", "power-analyser", query="NONSENSE\n")).search
    assert begun is not None
    wait_for(lambda: recorder.status().instruments[0].stages[0].words == "searching", "the port to be lent")
    assert ask(ReleasePort(link="simulated/power-analyser")).trouble == ""
    ask(StopSearch(search=begun.id))
    wait_for(lambda: recorder.status().instruments[0].released, "the port to be released")
    assert not holders(shop.power.port)
    assert ask(TakeBackPort(link="simulated/power-analyser")).trouble == ""
    wait_for(recorder.all_passing, "the port to be back")


@pytest.mark.parametrize(
    "wrong", [{"ports": [""]}, {"stop_bits": 0.0}, {"stop_bits": 3.0}, {"baud": 0}, {"ports": []}]
)
def test_a_search_on_nothing_is_refused(wrong: dict[str, object]) -> None:
    """Fault 42: the port "" and 0 stop bits were accepted, and a traceback came."""
    with pytest.raises(ValidationError):
        StartSearch.model_validate({"search": "settings", "ports": ["x"], **wrong})


def test_addresses_on_a_bus_and_two_devices_with_one(ask: Ask, shop: Shop) -> None:
    pair = shop.plug_in(PressurePair)
    modbus = {"baud": 19200, "parity": "even", "first": 9, "last": 14}
    found = run(ask, search("addresses", "pressure-pair", **modbus))
    assert [row.what for row in found.rows] == ["address 11", "address 12"]
    assert {row.words for row in found.rows} == {"answers"}
    assert found.sentence.startswith("2 addresses answered of 9 to 14")
    pair.fault("same address")
    found = run(ask, search("addresses", "pressure-pair", **modbus))
    assert [row.what for row in found.rows] == ["address 11"]
    assert "two devices have this address" in found.rows[0].words
    assert "<address>" in ask(search("addresses", "pressure-pair", query="READ?")).why


def test_a_loop_back_proves_the_cable(ask: Ask, shop: Shop) -> None:
    plug = shop.plug_in(LoopBackPlug)
    assert "came back as they were sent" in run(ask, search("loop-back", "loop-back-plug")).sentence
    plug.fault("garbled")
    assert "came back right" in run(ask, search("loop-back", "loop-back-plug")).sentence
    plug.fault("garbled", False)
    plug.fault("silent")
    assert "pins 2 and 3" in run(ask, search("loop-back", "loop-back-plug")).sentence


def test_listening_round_shows_which_is_which_and_sends_nothing(ask: Ask, shop: Shop) -> None:
    shop.plug_in(ShaftPickup)
    shop.plug_in(BearingMonitor)
    names = ("shaft-pickup", "bearing-monitor", "loop-flow-meter", "nothing-here")
    begun = ask(search("listen on all ports", *names, baud=57600)).search
    assert begun is not None

    def words() -> list[str]:
        return [row.words for row in look(ask, begun.id).rows]

    wait_for(lambda: words()[:1] == ["talks"] and "not text" in words()[1], "bytes")
    rows = look(ask, begun.id).rows
    assert words()[2] == "silent so far"
    assert "There is no port" in words()[3]
    assert "," in rows[0].data
    wait_for(lambda: look(ask, begun.id).rows[0].bytes_per_s > 100, "a rate")
    assert shop.flow.queries == 0
    stopped = ask(StopSearch(search=begun.id)).search
    assert stopped is not None
    assert "free again" in stopped.sentence
