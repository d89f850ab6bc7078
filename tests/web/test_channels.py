"""Channels over HTTP: calculated ones, limits, zero, scaling tried out; layouts and the past."""

import time

import httpx
import pytest

from tests.conftest import Server, setup_text, wait_for
from tidybench.core.samples import channels_of, qualities_of, unpack
from tidybench.standins.instruments import PressurePair

FLOW = "loop-flow-meter"
DOUBLE = {"id": "double", "name": "Double", "expression": '"loop-flow" * 2', "unit": "m3/h"}


def put(server: Server, path: str, body: object) -> httpx.Response:
    with server.client() as client:
        return client.put(path, json=body)


def rows(server: Server) -> int:
    run = server.get("/api/bench").json()["status"]["run"]
    return int(run["rows"]) if run else 0


def channel(server: Server, key: str) -> "dict[str, object] | None":
    status = server.get("/api/bench").json()["status"]
    return next((c for c in status["channels"] if c["id"] == key), None)


def text_of(server: Server, key: str) -> str:
    return next(str(s["text"]) for s in server.get("/api/setups").json() if s["key"] == key)


def test_calculated_channels_are_kept_with_their_comments_and_refused_in_words(server: Server) -> None:
    wait_for(lambda: channel(server, "loop-flow"), "the instruments")
    saved = put(server, "/api/calculated", {"calculations": {"calculated": [DOUBLE]}})
    assert saved.status_code == 200, saved.text
    assert "is in force" in saved.json()["sentence"]
    wait_for(lambda: channel(server, "double"), "the channel in force")
    form = server.get("/api/calculated").json()
    assert form["calculations"]["calculated"][0]["name"] == "Double"
    text = form["text"].replace('name = "Double"', 'name = "Double" # twice as much')
    assert put(server, "/api/calculated", {"text": text}).status_code == 200
    renamed = {**DOUBLE, "name": "Twice", "limits": {"high": 30}}
    assert put(server, "/api/calculated", {"calculations": {"calculated": [renamed]}}).status_code == 200
    text = server.get("/api/calculated").json()["text"]
    assert "# twice as much" in text
    assert 'name = "Twice"' in text
    for bad, words in (
        ({"text": "[[calculated]]\nid = 5"}, "calculated.1"),
        ({"text": "nonsense"}, "not TOML"),
        (
            {"calculations": {"calculated": [{**DOUBLE, "id": "loop-flow"}]}},
            "is used by Loop flow meter already",
        ),
        ({"calculations": {"calculated": [DOUBLE, DOUBLE]}}, "used twice"),
        ({"calculations": {"calculated": [{**DOUBLE, "limits": {"low": 2, "high": 1}}]}}, "must be below"),
    ):
        refused = put(server, "/api/calculated", bad)
        assert refused.status_code in (400, 422), bad
        assert words in refused.json()["detail"]
    clashing = text_of(server, FLOW).replace('id = "loop-flow"', 'id = "double"')
    refused = server.post("/api/setups", {"text": clashing})
    assert "is used by a calculated channel already" in refused.json()["detail"]
    # A broken expression may be kept: it harms nobody, and says what is wrong.
    broken = {**DOUBLE, "id": "broken", "expression": "double + nobody"}
    assert (
        put(server, "/api/calculated", {"calculations": {"calculated": [renamed, broken]}}).status_code == 200
    )
    wait_for(lambda: "nobody" in str((channel(server, "broken") or {}).get("problem")), "its problem")
    assert put(server, "/api/calculated", {"calculations": {"calculated": []}}).status_code == 200
    wait_for(lambda: channel(server, "double") is None, "it to be gone")


def test_expressions_are_checked_without_being_kept(server: Server) -> None:
    body = {"calculated": [DOUBLE, {**DOUBLE, "id": "bad", "expression": '"loop-flow" + 5'}]}
    good, bad = server.post("/api/calculated/check", body).json()
    assert (good["problem"], good["interval_s"]) == ("", 0.2)
    assert bad["column"] == 13
    assert "5 [L/min]" in bad["problem"]
    assert server.get("/api/calculated").json()["calculations"]["calculated"] == []


def test_a_limit_is_moved_and_nothing_else_of_the_set_up(server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments")
    before = text_of(server, FLOW)
    moved = put(server, "/api/channels/loop-flow/limits", {"low": 10, "high": 20, "hysteresis": 1})
    assert moved.status_code == 200, moved.text
    wait_for(lambda: (channel(server, "loop-flow") or {}).get("high") == 20, "the limit")
    after = text_of(server, FLOW)
    assert "# after a restart it reads in m3/h" in after
    assert after.split("limits")[0] == before.split("limits")[0]
    wait_for(lambda: server.get("/api/bench").json()["status"]["crossings"], "a crossing")
    [crossing] = server.get("/api/bench").json()["status"]["crossings"]
    assert "above the limit of 20.0 L/min" in crossing["crossing"]["words"]
    refused = put(server, "/api/channels/loop-flow/limits", {"low": 5, "high": 1})
    assert refused.status_code == 422
    assert "must be below" in refused.json()["detail"]
    assert put(server, "/api/channels/nobody/limits", {"low": 5}).status_code == 404
    assert put(server, "/api/channels/loop-flow/limits", {"low": 60, "high": 200}).status_code == 200
    assert server.post("/api/crossings/acknowledge", {"crossings": [crossing["id"]]}).status_code == 204
    wait_for(lambda: server.get("/api/bench").json()["status"]["crossings"] == [], "it to be gone")


def test_an_instrument_zeroes_itself(server: Server) -> None:
    pair = server.shop.plug_in(PressurePair)
    own = setup_text("pressure-pair-discharge") + '\nzero = { write = "zero" }\n'
    assert server.post("/api/setups", {"text": own}).status_code == 201, own
    wait_for(lambda: (channel(server, "discharge") or {}).get("own_zero"), "the channel")
    wait_for(server.recorder.all_passing, "the instruments", 30)
    answer = server.post("/api/channels/discharge/zero", {})
    assert answer.status_code == 200, answer.text
    assert "written, and reads back as 1" in answer.json()["sentence"]
    undo = server.post("/api/channels/discharge/zero?undo=true", {})
    assert undo.status_code == 409
    assert "zeroed itself" in undo.json()["detail"]
    assert server.post("/api/channels/nobody/zero", {}).status_code == 404
    with server.client() as client:
        assert client.delete("/api/setups/pressure-pair-discharge").status_code == 200
    pair.stop()
    server.shop.devices.remove(pair)


def test_scaling_is_tried_out_step_by_step(server: Server) -> None:
    body = {
        "scale": 2, "value": 3,
        "scaling": [{"kind": "sign"}, {"kind": "points", "points": [[-10, 0], [0, 100]]}],
    }  # fmt: skip
    tried = server.post("/api/scaling", body).json()
    assert [step["value"] for step in tried["steps"]] == [6, -6, 40]
    assert tried["residuals"] == [[], [0, 0]]
    refused = server.post("/api/scaling", {"scaling": [{"kind": "points", "points": [[1, 1], [1, 2]]}]})
    assert refused.status_code == 400
    assert "show 1" in refused.json()["detail"]


def test_layouts_over_http(server: Server) -> None:
    layout = {
        "lanes": [
            {
                "channels": ["loop-flow"],
                "weight": 2,
                "scale": [0, 10],
                "log": False,
                "undrawn": [],
                "band": True,
            }
        ],
        "hidden": ["supply"],
        "own_time": [],
    }
    assert put(server, "/api/layouts/my layout", layout).status_code == 204
    assert server.get("/api/layouts").json() == [{"name": "my layout", "data": layout}]
    assert put(server, "/api/layouts/bad", {"lanes": [{"channels": [], "weight": 99}]}).status_code == 422
    with server.client() as client:
        assert client.delete("/api/layouts/my layout").status_code == 204
        assert client.delete("/api/layouts/my layout").status_code == 404


@pytest.mark.parametrize("span", [(10, 5), (0, 10**15)])
def test_a_stretch_of_the_past_must_be_one(server: Server, span: "tuple[int, int]") -> None:
    assert server.get(f"/api/history?start={span[0]}&end={span[1]}").status_code == 400


def test_the_past_comes_under_the_numbers_of_today(server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments")
    run = server.post("/api/run", {"name": "Past"}).json()
    wait_for(lambda: rows(server) > 10, "rows")
    server.post("/api/run/end", {"run": run["id"]})
    wait_for(lambda: server.get(f"/api/runs/{run['id']}").json().get("complete"), "the records")
    now = time.time_ns() // 1000
    past = unpack(server.get(f"/api/history?start={now - 60_000_000}&end={now}").content)
    flow = channel(server, "loop-flow")
    assert flow is not None
    mine = past[channels_of(past) == flow["number"]]
    assert len(mine) > 5
    measured = qualities_of(mine) <= 1  # the machine may have stood still over a poll
    assert measured.sum() > 5
    assert (mine["value"][measured] > 20).all()


def test_a_mark_is_corrected_and_the_tape_keeps_both(server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments")
    run = server.post("/api/run", {"name": "Corrected"}).json()
    for text in ("valve to 60 %", "=valve to 7 %"):
        marked = server.post("/api/run/marks", {"text": text, "by": "M. Okafor"}).json()
    at = marked["marks"][1]["at"]
    with server.client() as client:
        done = client.patch("/api/run/marks", json={"at": at, "text": "  valve to 70 %\n"})
        assert [mark["text"] for mark in done.json()["marks"]] == ["valve to 60 %", "valve to 70 %"]
        assert client.patch("/api/run/marks", json={"at": 5, "text": "x"}).status_code == 404
        assert client.patch("/api/run/marks", json={"at": at, "text": " "}).status_code == 400
    server.post("/api/run/marks", {"text": "after it"})
    server.post("/api/run/end", {"run": run["id"]})
    wait_for(lambda: server.get(f"/api/runs/{run['id']}").json().get("complete"), "the records")
    marks = server.get(f"/api/runs/{run['id']}").json()["marks"]
    assert [(m["text"], m["by"]) for m in marks] == [
        ("valve to 60 %", "M. Okafor"),
        ("valve to 70 %", "M. Okafor"),
        ("after it", ""),
    ]
    [folder] = server.places.runs.glob("*/*corrected*")
    tape = (folder / "tape" / "0001.jsonl").read_text("utf-8")
    assert '"k":"mark corrected"' in tape
    assert f'"mark":{at},"text":"valve to 70 %","before":"=valve to 7 %"' in tape
