"""A text that is waited for on a link: whole or in pieces, and only from whoever was asked."""

from tidybench.core.curves.awaited_text import AwaitedText
from tidybench.core.values.origin import Acting, Asked, ByHand


def test_it_is_found_in_pieces_and_once_for_each_time() -> None:
    awaited = AwaitedText("pump", "READY", asked=True)
    pieces = (b"x" * 100 + b"RE", b"AD", b"Y\r\n", b"\r\n", b"READY")
    assert [awaited.received(piece) for piece in pieces] == [False, False, True, False, True]


def test_on_a_shared_link_another_ones_answer_is_not_it() -> None:
    awaited = AwaitedText("pump", "READY", asked=True)
    awaited.sent(Asked("valve", "state"))
    assert not awaited.received(b"READY\r\n")
    awaited.sent(Asked("pump", "state"))
    assert not awaited.received(b"BUSY\r\n")
    awaited.sent(Acting("valve", "open", 3))
    assert not awaited.received(b"REA")
    awaited.sent(Acting("pump", "start", 4))
    assert not awaited.received(b"DY\r\n"), "two halves of two instruments are no message"
    assert awaited.received(b"READY\r\n")


def test_what_a_person_typed_may_be_for_anybody_and_talkers_are_always_heard() -> None:
    awaited = AwaitedText("pump", "READY", asked=True)
    awaited.sent(Asked("valve", "state"))
    awaited.sent(ByHand(1))
    assert awaited.received(b"READY\r\n")
    talker = AwaitedText("pump", "READY", asked=False)
    talker.sent(Asked("valve", "state"))
    assert talker.received(b"READY\r\n")
