"""Row `socket-latency`: from the wire to the browser's socket."""

import asyncio
import time

from websockets.asyncio.client import connect

from measure.bench import setup
from measure.peers import COUNTING, peer
from measure.result import Result, percentile
from measure.stack import TOKEN, stack
from tidybench.core.samples import unpack


def socket_latency() -> Result:
    """From a reply's last byte to the browser's socket."""
    with (
        peer(COUNTING, nice=5) as (paths, process),
        stack([setup("n", paths[0], "<v>", query="V?\n", every=0.05)]) as bench,
    ):
        sent: dict[int, int] = {}
        got = asyncio.run(_listen(bench.port, 400))
        process.kill()
        assert process.stdout is not None
        for line in process.stdout.read().splitlines():
            number, at = line.split()
            sent[int(number)] = int(at)
    waits = sorted((at - sent[value]) / 1e6 for value, at in got if value in sent)
    value = percentile(waits, 0.99)
    return Result(
        "socket-latency", value, "ms (99 %)", "30 ms", value <= 30, {}, {},
        f"{len(waits)} replies, median {percentile(waits, 0.5):.1f} ms, worst {waits[-1]:.1f} ms",
    )  # fmt: skip


async def _listen(port: int, count: int) -> list[tuple[int, int]]:
    got: list[tuple[int, int]] = []
    headers = {"Authorization": f"Bearer {TOKEN}"}
    async with connect(f"ws://127.0.0.1:{port}/api/live", additional_headers=headers) as socket:
        while len(got) < count:
            item = await asyncio.wait_for(socket.recv(), 20)
            now = time.time_ns()
            if isinstance(item, bytes):
                got += [(int(value), now) for value in unpack(item)["value"] if value == value]
    return got
