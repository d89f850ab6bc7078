"""The loop-back test: with pins 2 and 3 joined, what is sent comes back; so cable and adapter are whole."""

from tidybench.recorder.searches.search import Search
from tidybench.wire.searches import SearchRow

TEXT = bytes(range(0x21, 0x7F))
"""Every printable character once: a bit that sticks shows itself."""


class LoopBackTest(Search):
    """Sends, and compares what comes back."""

    def search(self) -> None:
        part = self.part()
        line = self._open(part)
        try:
            self.sentence = f"Sending {len(TEXT)} bytes at {part.short} …"
            self.drain(line)
            line.write(TEXT)
            wire = len(TEXT) * part.byte_time / 1e6
            data = self.collect(line, 2 * wire + 1.0, len(TEXT))
        finally:
            line.close()
        same = sum(a == b for a, b in zip(data, TEXT, strict=False))
        good = data == TEXT
        self.rows.append(
            SearchRow(
                what=part.short,
                data=data.decode("latin-1"),
                score=same / len(TEXT),
                words=f"{len(data)} of {len(TEXT)} bytes came back, {same} of them right",
            )
        )
        if self.stopped:
            self.sentence = "Stopped."
        elif good:
            self.found = self.rows[0]
            self.sentence = (
                f"All {len(TEXT)} bytes came back as they were sent: adapter, cable and port are whole up to where pins 2 "
                "and 3 are joined. What is wrong lies beyond."
            )
        elif not data:
            self.sentence = (
                "Nothing came back. Are pins 2 and 3 joined at the far end? If so, the cable is broken or the adapter "
                "does not send: join them at the adapter itself and test again."
            )
        else:
            self.sentence = (
                f"Only {same} of {len(TEXT)} bytes came back right. The contact is bad, the cable is long for "
                f"{part.baud} baud, or something else sends on this line."
            )
