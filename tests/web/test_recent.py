"""The last hour in memory: from when on each channel's samples are here."""

import asyncio
from types import SimpleNamespace
from typing import Any, cast

import numpy as np

from tidybench.core.samples import DTYPE
from tidybench.web.hub import Hub
from tidybench.web.recent import HOUR, Recent

SECOND = 1_000_000


def packed(number: int, times: list[int], sequence: int) -> bytes:
    records = np.zeros(len(times), DTYPE)
    records["time"] = times
    records["value"] = np.arange(len(times))
    # Quality, channel and sequence share the first eight bytes (docs/formats/samples.md).
    word = (np.arange(sequence, sequence + len(times), dtype=np.uint64) << np.uint64(24)) | np.uint64(
        number << 8
    )
    records["word"] = word
    return records.tobytes()


class FakeHub:
    status = None

    def __init__(self) -> None:
        self.frames: list[bytes] = []

    async def ask(self, _: object) -> tuple[SimpleNamespace, list[bytes]]:
        return SimpleNamespace(), self.frames


def test_each_channel_has_its_own_beginning() -> None:
    # A quick channel lets its old samples go when new ones come; a slow one still has older ones.
    hub = FakeHub()
    recent = Recent(cast(Hub, hub))
    begun = 1_795_000_000 * SECOND
    slow = [begun + n * 60 * SECOND for n in range(61)]
    quick = [begun + n * SECOND for n in range(3600)]

    async def asked() -> tuple[dict[int, Any], dict[int, int]]:
        return await recent.gather({1: (), 2: (), 3: ()}, begun, begun + 2 * HOUR)

    async def both() -> tuple[dict[int, Any], dict[int, int]]:
        hub.frames = [packed(2, slow, 1), packed(1, quick, 100)]
        await asked()
        later = [begun + HOUR + n * SECOND for n in range(1, 31)]
        hub.frames = [packed(1, later, 5000)]
        return await asked()

    found, firsts = asyncio.run(both())
    # What was never measured needs no records, as long as nothing older than all of these is asked for.
    assert firsts == {1: begun + 30 * SECOND, 2: begun, 3: begun}
    assert found[1].statistics.samples == 3600 - 30 + 30
    assert found[2].statistics.samples == 61
