"""Every fault of every stand-in leads to its sentence: the table of faults and diagnoses."""

import re
import time

import pytest

from tests.conftest import Shop, library_text, setup_text
from tests.recorder.bare import Attached, attached, until
from tests.test_captures import WINDING
from tidybench.core.compile.load import load
from tidybench.core.setup import Setup
from tidybench.standins.device import Device
from tidybench.standins.instruments import (
    ALL,
    BearingMonitor,
    ClearanceGauge,
    LoopBackPlug,
    LoopFlowMeter,
    PowerAnalyser,
    PressurePair,
    SealRig,
    ShaftPickup,
    SumpSonde,
    ValvePositioner,
    WindingTester,
)

DEMO_SETUPS: dict[type[Device], str] = {
    LoopFlowMeter: "loop-flow-meter",
    PowerAnalyser: "power-analyser",
    ShaftPickup: "shaft-pickup",
    SumpSonde: "sump-sonde",
    BearingMonitor: "bearing-monitor",
    ValvePositioner: "valve-positioner",
    ClearanceGauge: "wear-ring-gauge",
    PressurePair: "pressure-pair-suction",
}
INSTRUMENTS = [kind for kind in ALL if kind is not LoopBackPlug]
ASKED = [LoopFlowMeter, PowerAnalyser, PressurePair, ValvePositioner, WindingTester]
ALONE = [ShaftPickup, SumpSonde, BearingMonitor, SealRig]


def setup_of(kind: type[Device]) -> Setup:
    """How a technician would have set it up; without what is said around a session, and asked often enough for a test."""
    if kind in DEMO_SETUPS:
        setup = load(setup_text(DEMO_SETUPS[kind]))
        if setup.modbus is not None:
            return setup.model_copy(update={"modbus": setup.modbus.model_copy(update={"every_s": 0.25})})
        if not setup.query:
            return setup
        quick = [q.model_copy(update={"every_s": min(q.every_s, 0.25)}) for q in setup.query[:1]]
        used = {q.id for q in quick}
        channels = [c for c in setup.channel if c.query is None or c.query in used]
        return setup.model_copy(
            update={"identity": None, "start": [], "release": [], "query": quick, "channel": channels}
        )
    # The tester's sweep read into channels, as its library set-up had it before sweeps were curves.
    setup = load(WINDING if kind is WindingTester else library_text(kind.name))
    if not setup.query:
        return setup
    # Its sweep is asked for by a person; here often, and short.
    sweep = setup.query[0].model_copy(
        update={"on_demand": False, "every_s": 0.25, "give_up_after_s": 0.3, "send": "SW 20 20000 3\n"}
    )
    return setup.model_copy(update={"identity": None, "query": [sweep]})


Expected = tuple[str, str]
"""The stage, and words that stand beside it or in its sentence."""

TABLE: dict[str, dict[type[Device], Expected]] = {
    "unplugged": dict.fromkeys(INSTRUMENTS, ("Port", "missing")),
    "silent": {
        **dict.fromkeys([*ASKED, *ALONE], ("Bytes", "silent")),
        ClearanceGauge: ("", ""),  # on its key: silence is normal
    },
    "garbled": {
        **{kind: ("Bytes", "not text") for kind in INSTRUMENTS if kind is not PressurePair},
        PressurePair: ("Messages", "no reply"),
    },
    "cut short": {
        **dict.fromkeys(ASKED, ("Messages", "no reply|no terminator")),
        **dict.fromkeys(
            (ShaftPickup, SumpSonde, BearingMonitor, SealRig), ("Messages", "no terminator|too long")
        ),
        ClearanceGauge: ("Messages", "no terminator"),
    },
    "doubled": {
        **dict.fromkeys(
            ASKED, ("Messages", "unasked bytes|late|no reply")
        ),  # late: where the machine stood still
        **dict.fromkeys(ALONE, ("Messages", "doubled")),
        ClearanceGauge: ("Messages", "doubled"),
    },
    "stuck": dict.fromkeys(
        (LoopFlowMeter, PowerAnalyser, ShaftPickup, BearingMonitor), ("Readings", "alike to the last digit")
    ),
    "echo": dict.fromkeys(ASKED, ("Messages", "echo")),
    "flood": dict.fromkeys(ASKED, ("Messages", "no reply|unasked bytes|no terminator|too long|missed|late")),
    "late": dict.fromkeys(ASKED, ("Messages", "late")),
    "dashes": dict.fromkeys(INSTRUMENTS, ("Readings", "no reading")),
    "wrong checksum": dict.fromkeys((SumpSonde, BearingMonitor, PressurePair), ("Messages", "bad checksum")),
}
"""Not here: a flood of an instrument that talks on its own is no fault of the reading (test_drain), a restart is mended by
itself (test_session), the same address twice is found by the search (test_searches), shorted turns are a fault of the winding
(tests/browser/test_curves.py)."""


HELD_UP = r"^\d+ (missed|late|no reply)$"
"""What the path says, for a minute, where the machine that runs the tests took its time."""

PRESSED: dict[Device, float] = {}


class Plugged:
    """All stand-ins of one fault, plugged in and attached."""

    def __init__(self, shop: Shop, kinds: list[type[Device]]) -> None:
        known: dict[type[Device], Device] = {LoopFlowMeter: shop.flow, PowerAnalyser: shop.power}
        self.devices = {kind: known.get(kind) or shop.plug_in(kind) for kind in kinds}
        self.shop = shop


@pytest.fixture
def plugged(shop: Shop) -> Plugged:
    made = Plugged(shop, INSTRUMENTS)
    for device in made.devices.values():
        device.late_by = 0.53  # type: ignore[misc]  # later than any of them is waited for
    return made


def press(device: Device) -> None:
    """Its operator presses the key of an instrument that has one, as fast as people do."""
    if device.has_key and time.monotonic() - PRESSED.get(device, 0) > 1.6:
        PRESSED[device] = time.monotonic()
        device.press_key()


def says(one: Attached, expected: Expected) -> bool:
    """Whether the path says what it should."""
    stage, words = expected
    fault = one.fault()
    if not stage:
        return fault is None and one.worker.reader.counts.opened_at > 0
    for found in one.status().stages:
        if found.name != stage:
            continue
        if any(word in found.words or word in found.sentence for word in words.split("|")):
            # Nothing before it is blamed; but that this machine stood still for a while is no fault of the instrument's.
            held_up = (
                fault is not None and stage == "Readings" and re.search(HELD_UP, fault.words) is not None
            )
            return fault is None or found.state == "passing" or fault.name == stage or held_up
    return False


@pytest.mark.parametrize("fault", TABLE)
def test_every_fault_leads_to_its_sentence(plugged: Plugged, fault: str) -> None:
    expected = TABLE[fault]
    kinds = list(expected)
    with attached(plugged.shop, *(setup_of(kind) for kind in kinds)) as made:
        pairs = list(zip(kinds, made, strict=True))

        def alive() -> bool:
            for kind, one in pairs:
                press(plugged.devices[kind])
                one.look()
            # A stand-in that spoke while its port was still being set was heard at another baud rate: that goes by.
            garbled = [
                one for one in made if (found := one.fault()) is not None and found.words == "not text"
            ]
            return not garbled and all(one.worker.reader.counts.messages > 1 for one in made)

        assert until(alive, 40), [
            (k.name, o.worker.sentence) for k, o in pairs if not o.worker.reader.counts.messages
        ]
        for kind in kinds:
            plugged.devices[kind].fault(fault)

        def all_say() -> bool:
            for kind in kinds:
                press(plugged.devices[kind])
            return all(says(one, expected[kind]) for kind, one in pairs)

        until(all_say, 45)
        wrong = {
            kind.name: [
                (s.name, s.state, s.words, s.sentence) for s in one.status().stages if s.state != "passing"
            ][:2]
            for kind, one in pairs
            if not says(one, expected[kind])
        }
        assert wrong == {}
        # And it goes away again.
        for kind in kinds:
            plugged.devices[kind].fault(fault, False)
        before = {kind: one.worker.reader.counts.opened_at for kind, one in pairs}
        again = {kind: one.worker.reader.counts.messages for kind, one in pairs}

        def back() -> bool:
            for kind in kinds:
                press(plugged.devices[kind])
            return all(
                one.worker.reader.counts.opened_at != before[kind]
                or one.worker.reader.counts.messages > again[kind] + 1
                for kind, one in pairs
            )

        assert until(back, 15)


def test_the_table_has_every_fault() -> None:
    elsewhere = {"restarted", "same address", "shorted turns"}
    every = {fault for kind in INSTRUMENTS for fault in kind.can_show()}
    assert every == set(TABLE) | elsewhere
