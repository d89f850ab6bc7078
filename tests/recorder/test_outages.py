"""What is out calls like a limit, while a run is on."""

from pathlib import Path

from tests.conftest import RecorderProcess, Shop, wait_for
from tests.recorder.test_channels import FLOW, POWER, ask
from tidybench.core.channels.verdict import WARMS_UP
from tidybench.core.values.crossing import Crossing
from tidybench.core.values.verdict import Unknown
from tidybench.recorder.outages import HOLD, Outages
from tidybench.runs.crossings import read_crossings
from tidybench.wire.crossings import Acknowledge
from tidybench.wire.instruments import InstrumentStatus, StageStatus
from tidybench.wire.runs import BeginRun, EndRun, RunStatus


def instrument(id: str, stopped: str = "", released: bool = False) -> InstrumentStatus:
    state = "stopped" if stopped else "passing"
    stage = StageStatus(name="Bytes", state=state, words=stopped, sentence="")  # type: ignore[arg-type]
    return InstrumentStatus(
        id=id, name=id.upper(), group="", talks="when asked", link="x", kind="serial", settings="", sends_end="", asked_per_s=1,
        has_queries=True, messages_per_s=1, answer_ms=1, stages=[stage], simulated=False, released=released, modem=None,
        identity=None,
    )  # fmt: skip


def unknown(id: str, words: str = "bad checksum") -> Unknown:
    return Unknown(id=id, number=7, name=id.capitalize(), words=words, since=1)


OWNERS = {"flow": "meter", "level": "sonde"}


def told(outages: Outages, at: int, *instruments: InstrumentStatus, missing: list[Unknown] | None = None,
         running: bool = True) -> list[str]:  # fmt: skip
    return [one.words for one in outages.look(at, running, instruments, missing or [], OWNERS)]


def test_a_path_that_stops_calls_once_and_says_when_it_is_back() -> None:
    outages = Outages()
    gone = instrument("meter", "silent")
    assert told(outages, 0, gone) == []
    assert told(outages, HOLD - 1, gone) == []
    assert told(outages, HOLD, gone, missing=[unknown("flow")]) == [
        "METER has stopped at Bytes: silent. Not judged meanwhile: Flow"
    ]
    assert told(outages, 2 * HOLD, gone) == []
    assert told(outages, 3 * HOLD, instrument("meter")) == ["METER is passing again"]
    assert told(outages, 4 * HOLD, instrument("meter")) == []


def test_a_plug_that_is_moved_is_none() -> None:
    outages = Outages()
    for at in range(0, 10 * HOLD, HOLD // 2):
        assert told(outages, at, instrument("meter", "unplugged" if at % HOLD else "")) == []


def test_a_channel_with_limits_that_is_not_measured_calls_by_itself() -> None:
    outages = Outages()
    there = instrument("meter")
    assert told(outages, 0, there, missing=[unknown("flow"), unknown("level", WARMS_UP)]) == []
    assert told(outages, HOLD, there, missing=[unknown("flow"), unknown("level", WARMS_UP)]) == [
        "Flow is not measured: bad checksum"
    ]
    # Its instrument stops as well: that is said, and that it is measured again is not.
    gone = instrument("meter", "silent")
    assert told(outages, 2 * HOLD, gone, missing=[unknown("flow")]) == []
    assert told(outages, 3 * HOLD, gone, missing=[unknown("flow")])[0].startswith("METER has stopped")
    assert told(outages, 4 * HOLD, there) == ["METER is passing again"]


def test_what_was_told_before_a_restart_is_over_only_when_it_is_known_to_be() -> None:
    outages = Outages()
    before = [
        Crossing(5, 0, "stopped", "", None, None, "METER", "METER has stopped"),
        Crossing(6, 7, "unmeasured", "", None, None, "Level", "Level is not measured"),
    ]
    outages.resume(before, [instrument("meter")], {7: "level"})
    starting = instrument("meter")
    starting.stages[0].state = "nothing"
    never = Unknown(id="level", number=7, name="Level", words="no sample yet", since=0)
    assert told(outages, 10, starting, missing=[never]) == []
    assert (
        told(outages, 2 * HOLD, instrument("meter", "silent"), missing=[never]) == []
    )  # as it was: nobody is called again
    assert told(outages, 3 * HOLD, instrument("meter")) == [
        "METER is passing again",
        "Level is measured again",
    ]


def test_what_is_over_after_the_run_is_told_as_well_and_the_next_run_is_told_anew() -> None:
    outages = Outages()
    gone = instrument("meter", "silent")
    assert told(outages, 0, gone) == []
    assert len(told(outages, HOLD, gone)) == 1
    assert told(outages, 2 * HOLD, gone, running=False) == []
    assert len(told(outages, 3 * HOLD, gone)) == 1
    assert told(outages, 4 * HOLD, instrument("meter"), running=False) == ["METER is passing again"]


def test_a_channel_is_known_by_its_number() -> None:
    outages = Outages()
    there = [instrument("meter")]
    outages.look(0, True, there, [unknown("flow")], OWNERS)
    [out] = outages.look(HOLD, True, there, [unknown("flow")], OWNERS)
    [back] = outages.look(2 * HOLD, True, there, [], OWNERS)
    assert [(one.channel, one.state, one.before) for one in (out, back)] == [
        (7, "unmeasured", ""), (7, "back", "unmeasured"),
    ]  # fmt: skip


def test_what_was_never_measured_is_not_lost() -> None:
    outages = Outages()
    never = Unknown(id="flow", number=7, name="Flow", words="no sample yet", since=0)
    for at in range(0, 5 * HOLD, HOLD):
        assert told(outages, at, instrument("meter"), missing=[never]) == []


def test_nothing_calls_without_a_run_and_a_port_that_was_given_up_never() -> None:
    outages = Outages()
    gone = instrument("meter", "silent")
    for at in range(0, 5 * HOLD, HOLD):
        assert told(outages, at, gone, running=False) == []
        assert told(outages, at, instrument("sonde", "released", released=True)) == []
    outages = Outages()
    assert told(outages, 0, gone, running=False) == []
    # It was out before: whoever begins a run is told.
    assert told(outages, HOLD, gone) == ["METER has stopped at Bytes: silent"]


def silent_in_a_run(recorder: RecorderProcess, shop: Shop) -> RunStatus:
    """A run in which the flow meter, within its limits until then, says nothing any more."""
    recorder.start(FLOW, POWER)
    wait_for(recorder.all_passing, "the instruments")
    wait_for(lambda: recorder.status().verdict.state == "within", "a verdict")
    begun = ask(recorder, BeginRun(name="Outage")).run
    assert begun is not None
    shop.flow.fault("silent")
    return begun


def test_an_unplugged_meter_is_an_alarm_of_the_run(recorder: RecorderProcess, shop: Shop) -> None:
    begun = silent_in_a_run(recorder, shop)
    wait_for(lambda: recorder.status().verdict.state == "not all known", "what is not known")
    assert [one.name for one in recorder.status().verdict.unknown] == ["Loop flow"]
    wait_for(lambda: recorder.status().crossings, "the alarm")
    [alarm] = recorder.status().crossings
    assert (
        alarm.crossing.words
        == "Loop flow meter has stopped at Bytes: silent. Not judged meanwhile: Loop flow"
    )
    shop.flow.fault("silent", on=False)
    wait_for(lambda: recorder.status().crossings[0].back_at, "it to be back")
    assert recorder.status().verdict.state == "within"
    assert [one.id for one in recorder.status().crossings] == [alarm.id]  # until a person has seen it
    ask(recorder, Acknowledge(crossings=[alarm.id]))
    wait_for(lambda: not recorder.status().crossings, "it to be seen")
    ask(recorder, EndRun(run=begun.id))
    kept = [(one.name, one.state, one.value) for one in read_crossings(Path(begun.folder))]
    assert kept == [("Loop flow meter", "stopped", None), ("Loop flow meter", "back", None)]
    tape = "".join(path.read_text() for path in (Path(begun.folder) / "tape").glob("*.jsonl"))
    assert '"k":"crossing","channel":0,"state":"stopped"' in tape


def test_an_alarm_that_nobody_has_seen_outlives_a_kill(recorder: RecorderProcess, shop: Shop) -> None:
    begun = silent_in_a_run(recorder, shop)
    wait_for(lambda: recorder.status().crossings, "the alarm")
    before = recorder.status().crossings
    recorder.kill()
    recorder.start(carry_on=True)
    wait_for(lambda: recorder.status().run, "the run to go on")
    assert recorder.status().crossings == before
    # It goes on as it was: longer than an outage takes to call, nobody is called again.
    began = recorder.status().at
    wait_for(lambda: recorder.status().at > began + 2 * HOLD, "some seconds")
    assert recorder.status().crossings == before
    shop.flow.fault("silent", on=False)
    wait_for(lambda: recorder.status().crossings[0].back_at, "it to be back")
    assert [one.id for one in recorder.status().crossings] == [before[0].id]
    ask(recorder, Acknowledge(crossings=[before[0].id]))
    ask(recorder, EndRun(run=begun.id))
    kept = [(one.name, one.state) for one in read_crossings(Path(begun.folder))]
    assert kept == [("Loop flow meter", "stopped"), ("Loop flow meter", "back")]
