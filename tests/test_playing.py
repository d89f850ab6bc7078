"""./tidy play: a tape's instruments on pseudo-terminals, and a recorder that takes them for the instruments."""

import threading
import time
from pathlib import Path

import pytest

from tests.conftest import RecorderProcess, wait_for
from tests.core.test_rehearsal import LINKS, tape
from tests.recorder.reacting import BOX, GAUGE
from tests.recorder.test_acts import given
from tests.recorder.test_procedures import ask
from tidybench import playing
from tidybench.core.samples import channels_of, unpack
from tidybench.core.tape.lines import tape_line
from tidybench.wire.places import Places
from tidybench.wire.setups import ApplySetups, SetupText
from tidybench.wire.status import GetHistory


def test_a_saved_tape_is_played_to_a_recorder(
    tmp_path: Path, places: Places, recorder: RecorderProcess, capsys: pytest.CaptureFixture[str]
) -> None:
    saved = tmp_path / "saved.jsonl"
    lines = [tape_line(n, link, event) for n, (_, link, event) in enumerate(tape(), 1)]
    saved.write_text("\n".join(lines) + "\n", "utf-8")
    ended = threading.Event()
    player = threading.Thread(target=playing.run, args=(saved, places, ended.is_set))
    player.start()
    try:
        wait_for(lambda: (places.simulated / "played-switch-box").exists(), "the ports")
        recorder.start()
        setups = [
            SetupText(id=id, text=text.replace(f"simulated/{id}", f"simulated/played-{id}"))
            for id, text in (("sump-gauge", GAUGE), ("switch-box", BOX))
        ]
        assert ask(recorder, ApplySetups(setups=setups)).trouble == ""
        wait_for(recorder.all_passing, "all to pass")
        before = level(recorder)
        act = given(recorder, "switch-box", "pump", on=0)
        assert act.words == "answered “OK”"
        time.sleep(3)
        now = level(recorder)
        assert 40 < now < 60, (before, now)  # two per cent a second, as behind the command on the tape
        lamp = given(recorder, "switch-box", "lamp", which=1)
        assert lamp.outcome == "no answer"
    finally:
        ended.set()
        player.join(10)
    said = capsys.readouterr().out
    assert "simulated/played-sump-gauge   plays simulated/sump-gauge (1 query, 0 commands)" in said
    assert "played-switch-box: 1 time something came that the tape does not have" in said


def test_an_instrument_that_was_on_two_ports_is_played_on_two(
    tmp_path: Path, places: Places, capsys: pytest.CaptureFixture[str]
) -> None:
    """It was put on another port in the middle of the run."""
    saved = tmp_path / "saved.jsonl"
    moved = [
        (n, "COM7" if link == LINKS[0] and n > 100 else link, event)
        for n, (_, link, event) in enumerate(tape(), 1)
    ]
    saved.write_text("\n".join(tape_line(n, link, event) for n, link, event in moved) + "\n", "utf-8")
    assert playing.run(saved, places, lambda: True) == 0
    said = capsys.readouterr().out
    assert "simulated/played-sump-gauge   plays simulated/sump-gauge (1 query, 0 commands)" in said
    assert "simulated/played-sump-gauge-2   plays COM7 (1 query, 0 commands)" in said
    assert "simulated/played-switch-box   plays simulated/switch-box" in said


def level(recorder: RecorderProcess) -> float:
    number = next(one.number for one in recorder.status().channels if one.id == "sump-level")
    records = unpack(b"".join(recorder.client.ask(GetHistory())[1]))
    return float(records[channels_of(records) == number]["value"][-1])


@pytest.mark.parametrize(
    ("name", "content", "sentence"),
    [
        ("none", None, "cannot be read: there is no such folder or file."),
        ("text", "hello\n", "is no tape: text, line 1"),
        ("bytes", b"\xff\xfe\x00", "is no tape: it is not text, or it was cut off."),
        ("empty", "", "Nothing was sent or received on this tape."),
    ],
)
def test_what_is_no_tape_is_said(
    name: str,
    content: str | bytes | None,
    sentence: str,
    tmp_path: Path,
    places: Places,
    capsys: pytest.CaptureFixture[str],
) -> None:
    path = tmp_path / name
    if content is not None:
        path.write_bytes(content.encode() if isinstance(content, str) else content)
    assert playing.run(path, places) == 1
    assert sentence in capsys.readouterr().err
