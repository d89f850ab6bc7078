"""The API held against its own schema: whatever is sent, it is never a failure of ours, and what refuses says why.

Bounded: some examples a route, the same every time, that fit the schema and that do not. The bench is a real one, with a run
behind it.
"""

from collections.abc import Callable
from typing import Any

import httpx
import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis.errors import Unsatisfiable
from schemathesis import GenerationMode

from tests.conftest import Server, wait_for

EXAMPLES = 8

LEFT_OUT = {"delete /api/setups/{key}", "post /api/searches"}
"""The first one takes away what is asked about, the second waits for hardware."""


class Route:
    """One route, asked with generated requests. `wrong`: what came of those that were not answered properly."""

    def __init__(self, client: httpx.Client, name: str) -> None:
        self._client, self.name = client, name
        self.wrong: list[str] = []
        self.asked = 0

    def ask(self, case: Any) -> None:
        made = case.as_transport_kwargs(base_url=str(self._client.base_url))
        sent = {key: made[key] for key in ("method", "url", "params", "json") if key in made}
        if made.get("data") is not None:
            sent["content"] = made["data"]
        try:
            request = self._client.build_request(**sent)
        except Exception:  # no client could send it either
            return
        self.asked += 1
        answer = self._client.send(request)
        if answer.status_code < 400:
            return
        try:
            told = len(answer.json()["detail"]) > 10
        except (ValueError, KeyError, TypeError):
            told = False
        if answer.status_code >= 500 or not told:
            self.wrong.append(f"{self.name} {sent}: {answer.status_code} {answer.text}"[:600])


def tried(strategy: Any, ask: Callable[[Any], None]) -> None:
    @settings(
        max_examples=EXAMPLES,
        deadline=None,
        derandomize=True,
        database=None,
        phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )
    @given(case=strategy)
    def each(case: Any) -> None:
        ask(case)

    try:
        each()
    except Unsatisfiable:
        pass  # nothing could be wrong about it


@pytest.mark.parametrize("mode", list(GenerationMode), ids=lambda mode: mode.name.lower())
def test_whatever_is_sent_is_answered_and_never_a_failure_of_ours(
    server: Server, mode: GenerationMode
) -> None:
    """Fault 42: 500 from the TOML library, 503 for bad input."""
    wait_for(server.recorder.all_passing, "the instruments")
    server.end_any_run()
    begun = server.post("/api/run", {"name": "Seeded"})
    assert begun.status_code == 201, begun.text
    run = begun.json()
    server.post("/api/run/marks", {"text": "one"})
    server.post("/api/run/end", {"run": run["id"]})
    schema = schemathesis.openapi.from_dict(server.get("/api/openapi.json").json())
    routes: list[Route] = []
    with server.client() as client:
        for found in schema.get_all_operations():
            operation = found.ok()
            name = f"{operation.method} {operation.path}"
            if name in LEFT_OUT:
                continue
            route = Route(client, name)
            routes.append(route)
            tried(operation.as_strategy(generation_mode=mode), route.ask)
    assert [route.name for route in routes if route.wrong] == [], "\n".join(
        one for route in routes for one in route.wrong[:3]
    )
    assert sum(route.asked for route in routes) > 150
    assert server.recorder.process is not None
    assert server.recorder.process.poll() is None  # nor did it end the recorder
