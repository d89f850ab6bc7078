"""A text that is waited for in what one instrument says, on a link that it may share with others."""

from tidybench.core.values.origin import ByHand, Origin

SHARED = 40
"""Bytes of the end that are kept: a text may come in two pieces."""


class AwaitedText:
    """Fed, in order, with what was sent on the instrument's link and what was received. On a link that several share, what comes after a
    query is from whoever was asked: what another one answers is not this one's. `asked`: this one says nothing on its own. One thread at
    a time."""

    def __init__(self, instrument: str, text: str, asked: bool) -> None:
        self._instrument, self._text = instrument, text.encode("latin-1", "replace")
        self._asked = asked
        self._listens = True
        self._tail = b""

    def sent(self, origin: Origin | None) -> None:
        """Something was sent. What a person typed says nothing of who is asked: whoever answers is listened to."""
        other = (
            origin is not None and not isinstance(origin, ByHand) and origin.instrument != self._instrument
        )
        listens = not (self._asked and other)
        if listens != self._listens:
            self._listens, self._tail = listens, b""

    def received(self, data: bytes) -> bool:
        """Bytes that came: whether the text is whole with them."""
        if not self._listens:
            return False
        joined = self._tail + data
        found = self._text in joined
        if found:
            joined = joined.rpartition(self._text)[2]
        self._tail = joined[-max(SHARED, len(self._text)) :]
        return found
