"""Samples as the core hands them on: parallel lists, and their one binary form.

A sample's record is 24 bytes, little-endian: an unsigned 64-bit word (run-wide sequence number
in the upper 40 bits, channel number in the next 16, quality in the lowest 8), the time as signed
64-bit microseconds since 1970 UTC, and the value as an IEEE 754 double (NaN where nothing was
measured). The same records travel to samples.bin, to the web server and to the browser. `samples` reads them.
"""

import struct
from dataclasses import dataclass, field

RECORD = struct.Struct("<Qqd")
RECORD_SIZE = RECORD.size
NAN = float("nan")


@dataclass(slots=True)
class Batch:
    """Samples that came of one event. `words` hold channel number << 8 | quality."""

    words: list[int] = field(default_factory=list)
    times: list[int] = field(default_factory=list)
    values: list[float] = field(default_factory=list)

    def add(self, channel: int, quality: int, time: int, value: float = NAN) -> None:
        """Append one sample."""
        self.words.append(channel << 8 | quality)
        self.times.append(time)
        self.values.append(value)

    def __len__(self) -> int:
        return len(self.words)

    def pack(self, sequence: int) -> bytes:
        """The samples as records under the event's sequence number."""
        count = len(self.words)
        if count == 1:
            return RECORD.pack(sequence << 24 | self.words[0], self.times[0], self.values[0])
        if count < 32:
            top = sequence << 24
            return b"".join(map(RECORD.pack, [top | word for word in self.words], self.times, self.values))
        import numpy as np  # takes as long to come as a small capture to be read

        records = np.empty(count, [("word", "<u8"), ("time", "<i8"), ("value", "<f8")])
        records["word"] = np.array(self.words, np.uint64) | np.uint64(sequence << 24)
        records["time"] = self.times
        records["value"] = self.values
        return records.tobytes()
