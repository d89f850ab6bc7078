"""What is said around a session: who are you, start and release commands; commands by hand; flood and drain."""

import socket
import time
from itertools import pairwise
from pathlib import Path

import pytest
import serial

from tests.conftest import RecorderProcess, Shop, setup_text, wait_for
from tests.recorder.bare import attached
from tidybench import cli
from tidybench.cluster import free_port
from tidybench.core.compile.load import load
from tidybench.core.quality import Quality
from tidybench.core.tape.events import Identified, Received
from tidybench.core.tape.lines import parse_tape_line, tape_line
from tidybench.core.values.origin import Heard, ReleaseCommand, StartCommand
from tidybench.recorder.ring import TapeRing
from tidybench.standins.instruments import ShaftPickup, WindingTester
from tidybench.standins.uart import LineFormat
from tidybench.wire.commands import CommandStatus, GetCommand, SendCommand
from tidybench.wire.instruments import ReadOnce
from tidybench.wire.ports import LabelPort, ReleasePort, TakeBackPort
from tidybench.wire.protocol import Answer, Request
from tidybench.wire.setups import ApplySetups, SetupText
from tidybench.wire.tape import GetTape

FLOW = "loop-flow-meter"


def test_start_commands_follow_the_identity_and_come_again_after_a_restart(shop: Shop) -> None:
    with attached(shop, load(setup_text(FLOW))) as [one]:
        wait_for(lambda: one.sent(StartCommand(FLOW, 1)) == 1, "the start command")
        # A machine that stands still misses polls, which is told for a minute.
        wait_for(
            lambda: ((fault := one.fault()) is None or fault.state == "losses") and one.samples, "samples"
        )
        assert [e.text.split("\n")[1] for e in one.events if isinstance(e, Identified)] == ["SERIAL 20417"]
        shop.flow.fault("restarted")  # now it reads in m3/h
        wait_for(lambda: one.sent(StartCommand(FLOW, 1)) == 2, "the start command again", 20)
        one.samples.clear()
        wait_for(
            lambda: one.look() or [s for s in one.samples if s[0] & 0xFF == Quality.OK],
            "readings in L/min again",
        )
        assert all(value > 40 for word, _, value in one.samples if word & 0xFF == Quality.OK)


def test_another_instrument_is_not_taken_for_the_expected_one(shop: Shop) -> None:
    text = setup_text(FLOW).replace("SERIAL 20417", "SERIAL 20500")
    with attached(shop, load(text)) as [one]:
        wait_for(lambda: (fault := one.fault()) is not None and fault.words == "another one", "the warning")
        fault = one.fault()
        assert fault is not None
        assert "SERIAL 20417" in fault.sentence
        assert "SERIAL 20500” was expected" in fault.sentence
        wait_for(lambda: one.worker.reader.counts.withheld > 2, "answers")
        one.look()
        assert not [s for s in one.samples if s[0] & 0xFF != Quality.LINK_LOST]
        assert one.sent(StartCommand(FLOW, 1)) == 0
        identity = one.status().identity
        assert identity is not None
        assert not identity.matches


def test_a_start_command_whose_answer_is_wrong_is_said(shop: Shop) -> None:
    with attached(shop, load(setup_text(FLOW).replace('expect = "OK"', 'expect = "DONE"'))) as [one]:
        wait_for(lambda: (fault := one.fault()) is not None and fault.words == "start command", "the warning")
        fault = one.fault()
        assert fault is not None
        assert "UN=LPM” was to be answered with “DONE”, but it answered “OK”" in fault.sentence


def test_release_commands_are_the_last_word(shop: Shop) -> None:
    with attached(shop, load(setup_text("power-analyser"))) as [one]:
        wait_for(lambda: one.sent(StartCommand("power-analyser", 1)) == 1, "the start command")
        wait_for(lambda: shop.power._remote, "remote")
        one.worker.release()
        wait_for(lambda: one.sent(ReleaseCommand("power-analyser", 1)) == 1, "the release command")
        wait_for(lambda: not shop.power._remote, "local")
        one.worker.take_back()
        wait_for(lambda: one.sent(StartCommand("power-analyser", 1)) == 2, "the start command again")
        one.close()
        assert one.sent(ReleaseCommand("power-analyser", 1)) == 2


def test_one_that_talks_on_its_own_is_greeted_again_at_its_power_up_text(shop: Shop) -> None:
    pickup = shop.plug_in(ShaftPickup)
    text = setup_text("shaft-pickup") + '\n[[start]]\nsend = "RATE 20\\r\\n"\nwait_s = 0.1\n'
    with attached(shop, load(text)) as [one]:
        wait_for(
            lambda: one.sent(StartCommand("shaft-pickup", 1)) == 1 and one.fault() is None,
            "the start command",
        )
        pickup.fault("restarted")
        wait_for(lambda: one.sent(StartCommand("shaft-pickup", 1)) >= 2, "the start command again")


def test_an_echo_that_the_set_up_knows_of_is_taken_off(shop: Shop) -> None:
    shop.flow.fault("echo")
    text = setup_text(FLOW).replace("baud = 9600", "baud = 9600\necho = true")
    with attached(shop, load(text)) as [one]:
        wait_for(lambda: [s for s in one.samples if s[0] & 0xFF == Quality.OK] or one.look(), "samples")
        assert one.fault() is None


class FastPickup(ShaftPickup):
    """The same at the fastest rate of a common adapter."""

    line = LineFormat(460_800)


def test_with_a_flood_the_newest_reading_is_never_old(shop: Shop) -> None:
    pickup = shop.plug_in(FastPickup)
    setup = load(setup_text("shaft-pickup").replace("57600", "460800"))
    with attached(shop, setup) as [one]:
        wait_for(lambda: one.fault() is None and one.worker.reader.counts.messages > 2, "messages")
        pickup.fault("flood")
        wait_for(lambda: one.worker.reader.counts.bytes_in > 60_000, "a flood", 45)
        pickup.fault("flood", False)
        wait_for(lambda: one.look() or one.samples, "samples")
        late = [e.at for e in one.events if isinstance(e, Received)]
        assert one.worker.waiting() < 4096
        assert max(b - a for a, b in pairwise(late)) < 1_500_000
        counts = one.worker.reader.counts
        assert counts.messages > 3000
        assert one.worker.reader.plan.readers[Heard("shaft-pickup")].counts.not_understood <= 2


# ---- through the recorder


def done(recorder: RecorderProcess, order: CommandStatus) -> CommandStatus:
    def look() -> CommandStatus:
        found = recorder.client.ask(GetCommand(command=order.id))[0].command
        assert found is not None
        return found

    wait_for(lambda: look().done, "the answer")
    return look()


def ask(recorder: RecorderProcess, request: Request) -> Answer:
    return recorder.client.ask(request)[0]


@pytest.fixture
def flowing(recorder: RecorderProcess, shop: Shop) -> RecorderProcess:
    recorder.start(FLOW)
    wait_for(recorder.all_passing, "passing")
    return recorder


PORT = "simulated/loop-flow-meter"


def test_a_command_goes_between_polls_and_its_answer_comes_whole(
    flowing: RecorderProcess, shop: Shop
) -> None:
    sent = ask(flowing, SendCommand(link=PORT, data="ID?\r")).command
    assert sent is not None
    order = done(flowing, sent)
    assert order.lines == ["LOOP FLOW METER", "SERIAL 20417", "VERSION 3.2"]
    tape = flowing.tape(GetTape(last=500, link=PORT))
    [typed] = [line for line in tape if line.why == f"command/{order.id}"]
    assert typed.n == order.n
    # Polls went on, and none of their readings was spoilt.
    flows = len(shop.flow.sent)
    wait_for(lambda: len(shop.flow.sent) > flows + 3, "polls")
    assert flowing.status().instruments[0].stages[3].state == "passing"


def test_commands_that_cannot_be_sent_say_why(flowing: RecorderProcess) -> None:
    assert ask(flowing, SendCommand(link="elsewhere", data="x")).trouble == "not found"
    assert "not a single byte" in ask(flowing, SendCommand(link=PORT, data="λ")).why
    ask(flowing, ReleasePort(link=PORT))
    wait_for(lambda: flowing.status().instruments[0].released, "release")
    assert "was released" in ask(flowing, SendCommand(link=PORT, data="x")).why
    assert ask(flowing, ReadOnce(instrument=FLOW)).trouble == "conflict"
    ask(flowing, TakeBackPort(link=PORT))
    wait_for(flowing.all_passing, "passing again")
    assert ask(flowing, ReadOnce(instrument="nobody")).trouble == "not found"


def test_a_query_on_demand_is_asked_on_demand_only(recorder: RecorderProcess, shop: Shop) -> None:
    recorder.start()
    text = setup_text(FLOW).replace("every_s = 0.2", "on_demand = true")
    assert ask(recorder, ApplySetups(setups=[SetupText(id=FLOW, text=text)])).trouble == ""
    wait_for(lambda: recorder.status().instruments[0].stages[0].state == "passing", "the port")
    wait_for(lambda: len(shop.flow.sent) >= 2, "identity and start")
    before = shop.flow.queries
    time.sleep(0.6)  # nothing may happen meanwhile
    assert shop.flow.queries == before
    assert ask(recorder, ReadOnce(instrument=FLOW)).trouble == ""
    wait_for(lambda: shop.flow.queries == before + 1, "one query")


def test_labels_and_who_uses_a_port_are_told(flowing: RecorderProcess) -> None:
    wait_for(lambda: any(p.name == PORT for p in flowing.status().ports), "the ports")
    assert ask(flowing, LabelPort(name=PORT, label="  flow,\tblue adapter ")).trouble == ""
    [port] = [p for p in flowing.status().ports if p.name == PORT]
    assert (port.label, port.used_by, port.simulated) == ("flow, blue adapter", ["Loop flow meter"], True)
    assert ask(flowing, LabelPort(name=PORT, label="x" * 61)).trouble == "invalid"


def test_the_tape_is_filtered_and_paged(flowing: RecorderProcess) -> None:
    wait_for(lambda: len(flowing.tape(GetTape(last=100, find="FL=+"))) > 5, "lines")
    found = flowing.tape(GetTape(last=4, direction="in", find="l/MIN"))
    assert len(found) == 4
    assert {line.kind for line in found} == {"in"}
    older = flowing.tape(GetTape(last=2, before=found[0].n, direction="in"))
    assert older[-1].n < found[0].n
    newer = flowing.tape(
        GetTape(last=100, after=found[0].n, before=found[-1].n + 1, direction="in", find="l/min")
    )
    assert [line.n for line in newer] == [line.n for line in found[1:]]
    assert flowing.tape(GetTape(direction="events"))[0].kind == "open"


def test_unknown_stand_ins_can_be_opened_with_nothing_known(recorder: RecorderProcess, shop: Shop) -> None:
    shop.plug_in(WindingTester)
    recorder.start()
    text = '[instrument]\nid = "w"\nname = "W"\ntalks = "on its own"\n[link]\nport = "simulated/winding-tester"\nbaud = 115200\n'
    assert ask(recorder, ApplySetups(setups=[SetupText(id="w", text=text)])).trouble == ""
    wait_for(lambda: recorder.status().instruments[0].stages[0].state == "passing", "the port")
    sent = ask(
        recorder, SendCommand(link="simulated/winding-tester", data="SW 50 5000 12\n", wait_ms=2000)
    ).command
    assert sent is not None
    lines = done(recorder, sent).lines
    assert lines[0] == "BUSY 25%"
    assert len(lines) == 3 + 12 + 1
    assert lines[-1] == "END"


def numbers(lines: list[str]) -> list[int]:
    return [parse_tape_line(line)[0] for line in lines]


def test_a_word_in_two_pieces_is_found() -> None:
    ring = TapeRing()
    pieces = [("x", b"SER"), ("y", b"OTHER"), ("x", b"IAL 2"), ("x", b"0417\r\n")]
    ring.add([tape_line(n, link, Received(n, data)) for n, (link, data) in enumerate(pieces, 1)])
    assert numbers(ring.find(GetTape(find="serial"))) == [1]
    assert numbers(ring.find(GetTape(find="0417"))) == [4]
    assert ring.find(GetTape(find="sero")) == []


def test_every_kind_of_link_is_alike_on_path_and_tape(shop: Shop, tmp_path: Path) -> None:
    path = tmp_path / "grows.txt"
    path.write_bytes(b"")
    port = free_port()
    with socket.create_server(("127.0.0.1", 0)) as server:
        links = [
            f'kind = "tcp"\nhost = "127.0.0.1"\ntcp_port = {server.getsockname()[1]}',
            f'kind = "udp"\nlisten_on = "127.0.0.1"\nlisten_port = {port}',
            f'kind = "file"\npath = "{path}"',
        ]
        texts = [
            f'[instrument]\nid = "m{n}"\nname = "M{n}"\ntalks = "on its own"\n[link]\n{link}\n[framing]\nterminator = "\\n"\n'
            f'[listen]\npatterns = ["V=<v>"]\n[[channel]]\nid = "v{n}"\nname = "V"\nfield = "v"\n'
            for n, link in enumerate(links)
        ]
        with attached(shop, *map(load, texts)) as made:
            peer, _ = server.accept()
            with peer, socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sender:
                wait_for(lambda: all(one.worker.is_open for one in made), "the links")
                time.sleep(0.6)  # what comes sooner after opening may have begun in the middle
                peer.sendall(b"V=1.5\n")
                sender.sendto(b"V=1.5\n", ("127.0.0.1", port))
                with open(path, "ab") as file:
                    file.write(b"V=1.5\n")
                wait_for(lambda: all(one.look() or one.samples for one in made), "a sample from each")
                for one in made:
                    assert [s[2] for s in one.samples] == [1.5]
                    assert [stage.state for stage in one.status().stages] == ["passing"] * 5
                    assert [e.data for e in one.events if isinstance(e, Received)] == [b"V=1.5\n"]
            wait_for(
                lambda: (fault := made[0].fault()) is not None and fault.name == "Port", "the lost connection"
            )


def test_ports_are_released_from_a_terminal(
    flowing: RecorderProcess, shop: Shop, capsys: pytest.CaptureFixture[str]
) -> None:
    assert cli.main(["ports"]) == 0
    assert "simulated/loop-flow-meter  simulated, used by Loop flow meter" in capsys.readouterr().out
    ask(flowing, LabelPort(name=PORT, label="flow"))
    assert cli.main(["release", "flow"]) == 0
    assert "is free for another program" in capsys.readouterr().out
    wait_for(lambda: flowing.status().instruments[0].released, "release")
    with serial.Serial(shop.flow.port, 9600, timeout=1, exclusive=True) as line:
        line.write(b"FL?\r")
        assert line.read_until(b"\n").startswith(b"FL=")
    assert cli.main(["take-back", PORT]) == 0
    wait_for(flowing.all_passing, "passing again")
    assert cli.main(["release", "/dev/nowhere"]) == 1
    assert "No instrument in force uses" in capsys.readouterr().err
    flowing.stop()
    assert cli.main(["ports"]) == 1
    assert "does not run" in capsys.readouterr().err
