"""/metrics, parsed by the standard client."""

import httpx
from prometheus_client.openmetrics.parser import text_string_to_metric_families

from tests.conftest import Server, wait_for


def test_the_newest_values_are_told_as_openmetrics(server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments")

    def samples() -> dict[str, dict[str, float]]:
        answered = server.get("/metrics")
        assert answered.status_code == 200, answered.text
        assert answered.headers["content-type"].startswith("application/openmetrics-text; version=1.0.0")
        found: dict[str, dict[str, float]] = {}
        for family in text_string_to_metric_families(answered.text):
            for one in family.samples:
                key = one.labels.get("channel") or one.labels.get("instrument") or ""
                found.setdefault(one.name, {})[key] = one.value
        return found

    wait_for(lambda: "loop-flow" in samples().get("tidybench_channel_value", {}), "the flow")
    found = samples()
    flow = server.shop.loop.flow()
    assert flow is not None
    assert abs(found["tidybench_channel_value"]["loop-flow"] - flow) < 20
    assert 0 <= found["tidybench_channel_age_seconds"]["loop-flow"] < 5
    assert found["tidybench_channel_measured"]["loop-flow"] == 1
    assert found["tidybench_instrument_stopped"]["loop-flow-meter"] == 0
    assert found["tidybench_logging"][""] == 0
    wrong = httpx.get(f"{server.base}/metrics", headers={"Authorization": "Bearer wrong"})
    assert wrong.status_code == 401

    device = next(one for one in server.shop.devices if one.name == "loop-flow-meter")
    device.fault("dashes")
    wait_for(lambda: samples()["tidybench_channel_measured"]["loop-flow"] == 0, "dashes")
    assert "loop-flow" not in samples()["tidybench_channel_value"]
    device.fault("dashes", on=False)
