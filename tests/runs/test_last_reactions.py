"""How reactions stood when a recorder was killed, read from a tape."""

from pathlib import Path

from tidybench.core.tape.events import CommandEnded, CommandGiven, Event, Reacted, ReactionsStand
from tidybench.core.tape.lines import tape_line
from tidybench.runs.last_reactions import LastReaction, asked_by, last_reactions

STAND = ReactionsStand(1, {"low": "good", "lamps": "below"})


def given(number: int, asked_at: int, by: str = "Sump low") -> CommandGiven:
    return CommandGiven(asked_at + 1, number, "box", "pump", {"on": 0}, asked_by(by), asked_at)


def ended(number: int) -> CommandEnded:
    return CommandEnded(30, number, "box", "pump", "answered", "answered “OK”")


def reacted(at: int, wanted: int = 1) -> Reacted:
    return Reacted(at, "low", "Sump low", "below", "good", 9.0, ["off"], ["box"] * wanted)


def read(folder: Path, *segments: list[Event], torn: str = "") -> dict[str, LastReaction]:
    (folder / "tape").mkdir()
    for number, events in enumerate(segments, 1):
        text = "".join(tape_line(n, "", event) + "\n" for n, event in enumerate(events, 1))
        (folder / "tape" / f"{number:04d}.jsonl").write_text(text + torn, "utf-8")
    return last_reactions(folder)


def test_one_whose_command_had_not_gone_out_is_due_still(tmp_path: Path) -> None:
    low = read(tmp_path, [STAND, reacted(10)])["low"]
    assert (low.standing, low.before, low.none_given, low.open) == ("below", "good", True, [])


def test_one_whose_command_was_on_its_way_is_open(tmp_path: Path) -> None:
    low = read(tmp_path, [STAND, reacted(10), given(7, 10)], torn='{"n":9,"t":')["low"]
    assert (low.none_given, low.open) == (False, ["box"])


def test_one_whose_command_has_ended_is_done(tmp_path: Path) -> None:
    low = read(tmp_path, [STAND, reacted(10), given(7, 10), ended(7)])["low"]
    assert (low.none_given, low.open) == (False, [])


def test_of_two_commands_one_that_is_missing_leaves_it_open(tmp_path: Path) -> None:
    low = read(tmp_path, [STAND, reacted(10, wanted=2), given(7, 10), ended(7)])["low"]
    assert (low.none_given, low.open) == (False, ["box"])


def test_the_commands_of_others_and_of_before_do_not_count(tmp_path: Path) -> None:
    events = [STAND, reacted(10), given(7, 10), ended(7), reacted(20), given(8, 20, by="Lamps"), given(9, 10)]
    assert read(tmp_path, events)["low"].none_given


def test_a_turn_of_segments_in_the_middle_of_a_command(tmp_path: Path) -> None:
    found = read(tmp_path, [STAND, reacted(10), given(7, 10)], [ReactionsStand(40, {"low": "below"})])
    assert (found["low"].standing, found["low"].open, found["low"].none_given) == ("below", ["box"], False)


def test_how_it_stands_at_the_newest_segment_counts(tmp_path: Path) -> None:
    old = [STAND, reacted(10), given(7, 10)]
    found = read(tmp_path, old, [ReactionsStand(40, {"low": "good"})], [ReactionsStand(50, {"low": "good"})])
    assert (found["low"].standing, found["low"].open, found["low"].none_given) == ("good", [], False)
    assert "lamps" not in found, "not read so far back"
