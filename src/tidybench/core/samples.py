"""Samples as the core hands them on: parallel lists, and their one binary form.

A sample's record is 24 bytes, little-endian: an unsigned 64-bit word (run-wide sequence number
in the upper 40 bits, channel number in the next 16, quality in the lowest 8), the time as signed
64-bit microseconds since 1970 UTC, and the value as an IEEE 754 double (NaN where nothing was
measured). The same records travel to samples.bin, to the web server and to the browser.
"""

import struct
from dataclasses import dataclass, field

import numpy as np

RECORD = struct.Struct("<Qqd")
RECORD_SIZE = RECORD.size
DTYPE = np.dtype([("word", "<u8"), ("time", "<i8"), ("value", "<f8")])
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
        records = np.empty(count, DTYPE)
        records["word"] = np.array(self.words, np.uint64) | np.uint64(sequence << 24)
        records["time"] = self.times
        records["value"] = self.values
        return records.tobytes()


def unpack(data: bytes) -> "np.ndarray[tuple[int], np.dtype[np.void]]":
    """Whole records of `data` as a structured array (word, time, value); a torn tail is left out."""
    return np.frombuffer(data, DTYPE, count=len(data) // RECORD_SIZE)


def channels_of(
    records: "np.ndarray[tuple[int], np.dtype[np.void]]",
) -> "np.ndarray[tuple[int], np.dtype[np.uint16]]":
    """The channel number of each record."""
    return ((records["word"] >> np.uint64(8)) & np.uint64(0xFFFF)).astype(np.uint16)


def qualities_of(
    records: "np.ndarray[tuple[int], np.dtype[np.void]]",
) -> "np.ndarray[tuple[int], np.dtype[np.uint8]]":
    """The quality of each record."""
    return (records["word"] & np.uint64(0xFF)).astype(np.uint8)


def sequences_of(
    records: "np.ndarray[tuple[int], np.dtype[np.void]]",
) -> "np.ndarray[tuple[int], np.dtype[np.uint64]]":
    """The run-wide sequence number of each record."""
    return records["word"] >> np.uint64(24)
