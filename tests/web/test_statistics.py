"""Statistics over the web: the last hour and the records joined, every sample once."""

import time
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import Server, wait_for
from tidybench.core.samples import channels_of, qualities_of, unpack
from tidybench.web.statistics_routes import StretchStatistics
from tidybench.wire.status import GetHistory


def now() -> int:
    return time.time_ns() // 1000


def asked(server: Server, start: int, end: int, path: str = "/api/statistics") -> StretchStatistics:
    answer = server.get(f"{path}?start={start}&end={end}")
    assert answer.status_code == 200, answer.text
    return StretchStatistics.model_validate(answer.json())


def same(got: StretchStatistics, records: "np.ndarray[tuple[int], np.dtype[np.void]]") -> None:
    """Each channel's statistics are NumPy's of these records."""
    for one in got.channels:
        own = records[channels_of(records) == one.number]
        own = own[(own["time"] >= got.start) & (own["time"] < got.end)]
        good = own[qualities_of(own) <= 1]["value"]
        assert (one.statistics.samples, one.statistics.measured) == (len(own), len(good)), one.id
        assert len(good) > 2
        assert (one.statistics.first, one.statistics.last) == (own["time"][0], own["time"][-1])
        assert (one.statistics.minimum, one.statistics.maximum) == (good.min(), good.max())
        assert one.statistics.mean == pytest.approx(good.mean(), rel=1e-12)
        assert one.statistics.sd == pytest.approx(good.std(ddof=1), rel=1e-6)


def live_records(server: Server) -> "np.ndarray[tuple[int], np.dtype[np.void]]":
    _, frames = server.recorder.client.ask(GetHistory())
    return unpack(b"".join(frames))


def test_a_run_and_what_came_after_a_restart_are_joined(server: Server) -> None:
    server.end_any_run()
    wait_for(server.recorder.all_passing, "the instruments")
    run = server.post(
        "/api/run", {"name": "Joined", "item": "", "operator": "", "row_rule": "steady rows"}
    ).json()
    begun = now()
    wait_for(lambda: server.recorder.status().run.rows > 30, "rows")  # type: ignore[union-attr]
    end = now() - 1_500_000
    same(asked(server, begun, end), live_records(server))  # of memory alone
    server.post("/api/run/end", {"run": run["id"]})
    wait_for(lambda: server.get(f"/api/runs/{run['id']}").json().get("complete"), "the records")
    folder = Path(server.get(f"/api/runs/{run['id']}").json()["folder"])
    logged = unpack((folder / "samples.bin").read_bytes())
    server.recorder.kill()
    server.recorder.start(carry_on=True)
    wait_for(server.recorder.all_passing, "the instruments again")
    wait_for(lambda: len(live_records(server)) > 30, "samples after the restart")
    end = now() - 1_500_000
    wait_for(lambda: now() - end > 3_000_000, "them to be older than the last piece")
    memory = live_records(server)
    whole = np.concatenate([logged[logged["time"] < memory["time"].min()], memory])
    wait_for(lambda: server.get("/api/bench").json()["status"]["session"] == server.recorder.status().session,
             "the web server to hear the new recorder")  # fmt: skip
    same(asked(server, begun, end), whole)
    for moment in (int(memory["time"].max()) - 2_000_000, begun + 4_000_000):
        _sample_at(server, moment, whole)
    of_run = asked(server, begun, begun + 5_000_000, f"/api/runs/{run['id']}/statistics")
    same(of_run, logged)
    numbers = server.get(f"/api/runs/{run['id']}").json()["numbers"]
    assert all(one["statistics"]["sd"] is not None for one in numbers)


def _sample_at(server: Server, moment: int, records: "np.ndarray[tuple[int], np.dtype[np.void]]") -> None:
    """A cursor reads each channel's own newest sample of that time."""
    channels = {c.id: c.number for c in server.recorder.status().channels}
    samples = server.get(f"/api/samples/at?moment={moment}").json()["samples"]
    assert {one["id"] for one in samples} == set(channels)
    for one in samples:
        own = records[(channels_of(records) == channels[one["id"]]) & (records["time"] <= moment)]
        last = own[np.argsort(own["time"], kind="stable")][-1]
        assert (one["time"], one["quality"]) == (last["time"], int(last["word"]) & 0xFF)
        assert one["value"] == (None if one["quality"] > 1 else last["value"])


def test_a_stretch_that_ends_before_it_begins_is_refused(server: Server) -> None:
    answer = server.get("/api/statistics?start=5&end=4")
    assert (answer.status_code, answer.json()["detail"]) == (400, "The stretch ends before it begins.")
    nowhere = server.get("/api/runs/00000000-0000-0000-0000-000000000000/statistics?start=1&end=2")
    assert nowhere.status_code == 404
