"""Many samples at once, as arrays of their records (see `batch`)."""

from collections.abc import Iterator
from itertools import pairwise

import numpy as np

from tidybench.core.batch import RECORD_SIZE, Batch

DTYPE = np.dtype([("word", "<u8"), ("time", "<i8"), ("value", "<f8")])


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


def batches_of(records: "np.ndarray[tuple[int], np.dtype[np.void]]") -> Iterator[Batch]:
    """The samples of each event, in order."""
    if not len(records):
        return
    sequences = sequences_of(records)
    edges = [0, *(np.flatnonzero(np.diff(sequences)) + 1).tolist(), len(records)]
    words = (channels_of(records).astype(np.int64) << 8 | qualities_of(records)).tolist()
    times, values = records["time"].tolist(), records["value"].tolist()
    for start, end in pairwise(edges):
        yield Batch(words[start:end], times[start:end], values[start:end])
