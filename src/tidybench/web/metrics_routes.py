"""The bench's newest values for whoever collects them: OpenMetrics 1.0."""

import math
import time
from collections.abc import Iterator

from fastapi import APIRouter, Request, Response
from prometheus_client.core import CounterMetricFamily, GaugeMetricFamily, Metric
from prometheus_client.openmetrics.exposition import CONTENT_TYPE_LATEST, generate_latest
from prometheus_client.registry import Collector, CollectorRegistry

from tidybench.core.quality import Quality
from tidybench.web.context import answered, context_of
from tidybench.web.recent import Sample
from tidybench.web.refusals import REFUSALS
from tidybench.wire.status import GetStatus, Status

router = APIRouter(responses=REFUSALS)


class _Bench(Collector):
    """What is told, as of one moment."""

    def __init__(self, status: Status, newest: dict[int, Sample], now: float) -> None:
        self._status, self._newest, self._now = status, newest, now

    def collect(self) -> Iterator[Metric]:
        """Values only of what is measured: what is not has an age and no value."""
        names = {one.id: one.name for one in self._status.instruments}
        labels = ["channel", "name", "unit", "instrument"]
        value = GaugeMetricFamily(
            "tidybench_channel_value", "The newest value, corrected and zeroed.", labels=labels
        )
        age = GaugeMetricFamily(
            "tidybench_channel_age_seconds", "Seconds since the newest sample.", labels=["channel"]
        )
        measured = GaugeMetricFamily(
            "tidybench_channel_measured", "1 where the newest sample was measured.", labels=["channel"]
        )
        for one in self._status.channels:
            sample = self._newest.get(one.number)
            if one.clock or sample is None:
                continue
            good = sample.quality <= Quality.FLAGGED and math.isfinite(sample.value)
            if good:
                told = [one.id, one.name, one.unit, names.get(one.instrument, one.instrument)]
                value.add_metric(told, sample.value)
            age.add_metric([one.id], max(0.0, self._now - sample.time / 1e6))
            measured.add_metric([one.id], float(good))
        yield from (value, age, measured)
        stopped = GaugeMetricFamily(
            "tidybench_instrument_stopped", "1 where a stage of its path has stopped.", labels=["instrument"]
        )
        for instrument in self._status.instruments:
            stopped.add_metric(
                [instrument.id], float(any(stage.state == "stopped" for stage in instrument.stages))
            )
        yield stopped
        yield GaugeMetricFamily(
            "tidybench_logging", "1 while a run is logged.", value=float(self._status.run is not None)
        )
        sent = CounterMetricFamily(
            "tidybench_destination_sent", "Messages that went out.", labels=["destination"]
        )
        dropped = CounterMetricFamily(
            "tidybench_destination_dropped", "Messages that were dropped.", labels=["destination"]
        )
        for destination in self._status.destinations:
            sent.add_metric([destination.id], destination.sent)
            dropped.add_metric([destination.id], destination.dropped)
        yield from (sent, dropped)


@router.get("/metrics", response_class=Response)
async def metrics(request: Request) -> Response:
    """The newest value of every channel, and how the bench stands (OpenMetrics 1.0). Programs send the token: Authorization: Bearer …"""
    status = (await answered(request, GetStatus())).status
    assert status is not None
    now = time.time()
    newest, _ = await context_of(request).recent.at([one.number for one in status.channels], status.at)
    registry = CollectorRegistry()
    registry.register(_Bench(status, newest, now))
    text = generate_latest(registry)  # type: ignore[no-untyped-call]
    return Response(text, media_type=CONTENT_TYPE_LATEST)
