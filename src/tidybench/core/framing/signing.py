"""Check characters for what is sent, as the replies of the same instrument have them."""

from tidybench.core.framing.check import CheckRule, xor_of
from tidybench.core.framing.making import make_check
from tidybench.core.setup.framing import FramingPart


def signed(framing: FramingPart, message: bytes) -> bytes:
    """A whole message, its marks or its terminator included, with check characters where replies have theirs. Raises ValueError with a
    sentence where the framing has none, or the message is not framed as replies are."""
    start, body, end = _taken_apart(framing, message)
    if framing.check == "nmea":
        return start + body + f"*{xor_of(body[1:]):02X}".encode() + end  # NMEA 0183, 5.3
    rule = make_check(framing)
    if not isinstance(rule, CheckRule):
        raise ValueError("the messages have no check characters: give them in the framing first")
    if framing.behind:
        return start + rule.append_check(body)  # the end mark stands before them
    return start + rule.append_check(body) + end


def _taken_apart(framing: FramingPart, message: bytes) -> tuple[bytes, bytes, bytes]:
    """What stands before the message as its framer gives it, that itself, and what ends it."""
    if framing.kind == "between marks":
        start, end = framing.start.encode("latin-1"), framing.end.encode("latin-1")
        if not message.startswith(start) or not message.endswith(end) or len(message) < len(start + end):
            raise ValueError("what is sent stands between the same marks as replies")
        return start, message[len(start) : len(message) - len(end)], end
    if framing.kind in ("ends with", "ieee 488.2"):
        ending = framing.terminator_bytes
        body = message.rstrip(b"\r\n") if ending is None else message.removesuffix(ending)
        if len(body) == len(message):
            raise ValueError(f"what is sent ends with {framing.ending}, as replies do")
        return b"", body, message[len(body) :]
    return b"", message, b""
