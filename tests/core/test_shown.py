"""What a person sees of the tape, and that nothing else is cut."""

from tidybench.core.tape.events import GaveUp, Note, Received, Sent, Tick
from tidybench.core.tape.lines import parse_tape_line, tape_line
from tidybench.core.tape.shown import shown, words_of
from tidybench.core.values.crossing import Crossing
from tidybench.core.values.mark import Mark
from tidybench.core.values.origin import ByHand

LONG = bytes(range(256)) * 20


def test_a_long_piece_is_cut_for_the_eye_alone_and_says_so() -> None:
    """Previews, proposals and the saved tape used to read what was left."""
    line = tape_line(7, "x", Received(1, LONG))
    told = parse_tape_line(line)
    assert words_of(told[2]) == LONG.decode("latin-1")
    seen = shown(*told)
    assert seen is not None
    assert (len(seen.text), seen.more) == (2000, len(LONG) - 2000)
    short = shown(1, "x", Received(1, b"abc"))
    assert short is not None
    assert (short.text, short.more) == ("abc", 0)


def test_events_in_words() -> None:
    assert shown(1, "x", Tick(1)) is None
    assert words_of(GaveUp(1, 2)) == "no reply in time, given up"
    assert words_of(Note(1, "clock", "moved")) == "clock: moved"
    assert words_of(Mark(1, "valve to 60 %")) == "mark: valve to 60 %"
    assert (
        words_of(Crossing(1, 2, "high", "within", 3.0, 2.0, "Flow", "Flow is above"))
        == "limit: Flow is above"
    )
    sent = shown(1, "x", Sent(1, b"ID?", 0, ByHand(3)))
    assert sent is not None
    assert sent.why == "command/3"
