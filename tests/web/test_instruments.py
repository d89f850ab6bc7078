"""Instruments through the API: added port first, changed key by key, previewed, copied, spoken to."""

import json
import socketserver
import threading
from collections.abc import Iterator
from typing import Any

import httpx
import pytest

from tests.conftest import Server, setup_text, wait_for
from tidybench.standins.__main__ import answer
from tidybench.standins.instruments import SumpSonde, WindingTester

FLOW = "loop-flow-meter"


@pytest.fixture
def api(server: Server) -> Iterator[httpx.Client]:
    with server.client() as client:
        yield client
        kept = {one["key"]: one["text"] for one in client.get("/api/setups").json()}
        for name in (FLOW, "power-analyser"):
            if kept.pop(name, None) != setup_text(name):
                client.post("/api/setups", json={"text": setup_text(name)})
        for key in kept:
            client.delete(f"/api/setups/{key}")


def instrument(api: httpx.Client, key: str) -> dict[str, Any] | None:
    found = api.get("/api/bench").json()["status"]["instruments"]
    return next((one for one in found if one["id"] == key), None)


def change(api: httpx.Client, key: str, **changes: object) -> httpx.Response:
    return api.patch(f"/api/instruments/{key}", json={"changes": changes})


def test_port_first_bytes_at_once(server: Server, api: httpx.Client) -> None:
    server.shop.plug_in(SumpSonde)
    link = {"kind": "serial", "port": "simulated/sump-sonde", "baud": 4800}
    added = api.post("/api/instruments", json={"name": "Sump sonde", "link": link})
    assert added.status_code == 201
    assert added.json()["key"] == "sump-sonde"

    def path() -> dict[str, Any]:
        found = instrument(api, "sump-sonde")
        return {stage["name"]: stage for stage in found["stages"]} if found else {}

    wait_for(lambda: path().get("Messages", {}).get("state") == "passing", "its bytes")
    assert "B/s in" in path()["Bytes"]["figures"]
    assert "No message pattern yet" in path()["Readings"]["sentence"]
    again = api.post(
        "/api/instruments", json={"name": "Sump sonde", "link": {**link, "port": "/dev/nowhere"}}
    )
    assert again.json()["key"] == "sump-sonde-2"  # an id is never used twice
    form = api.get("/api/instruments/sump-sonde").json()
    assert form["given"]["link"] == link
    assert form["setup"]["link"]["data_bits"] == 8


def test_keys_are_changed_and_comments_stay(api: httpx.Client) -> None:
    text = setup_text(FLOW)
    saved = change(
        api, FLOW, query=[{**api.get(f"/api/instruments/{FLOW}").json()["given"]["query"][0], "every_s": 0.5}]
    )
    assert saved.status_code == 200
    after = api.get(f"/api/instruments/{FLOW}").json()
    assert after["text"] == text.replace("every_s = 0.2", "every_s = 0.5")
    assert after["version"] == saved.json()["version"]
    wait_for(lambda: (instrument(api, FLOW) or {}).get("asked_per_s") == 2, "the new interval")
    change(api, FLOW, identity=None, start=[])
    assert "[identity]" not in api.get(f"/api/instruments/{FLOW}").json()["text"]


def test_another_kind_of_link_replaces_all_of_it(api: httpx.Client) -> None:
    change(api, FLOW, link={"kind": "tcp", "host": "192.0.2.7", "tcp_port": 4001})
    assert api.get(f"/api/instruments/{FLOW}").json()["given"]["link"] == {
        "kind": "tcp",
        "host": "192.0.2.7",
        "tcp_port": 4001,
    }
    wait_for(lambda: (instrument(api, FLOW) or {}).get("kind") == "tcp", "the link")


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"link": {"baud": 0}}, "link.baud"),
        ({"link": {"bawd": 9600}}, "there is no such key"),
        ({"query": [{"id": "q", "send": "X", "patterns": ["<a"]}]}, "never closed"),
        ({"link": {"port": "simulated/power-analyser"}}, "share the port"),
        ({"framing": {"kind": "between marks"}}, "need both: start and end"),
        ({"link": {"rs485": {}, "flow_control": "rts/cts"}}, "cannot do RTS/CTS"),
        ({"link": {"port": "rfc2217://nowhere"}}, "rfc2217://HOST:PORT"),
        ({"nonsense": 1}, "no such key"),
    ],
)
def test_a_change_that_cannot_be_is_refused_in_words(
    api: httpx.Client, changes: dict[str, object], words: str
) -> None:
    before = api.get(f"/api/instruments/{FLOW}").json()["version"]
    refused = change(api, FLOW, **changes)
    assert refused.status_code == 400, refused.text
    assert words in refused.json()["detail"]
    assert api.get(f"/api/instruments/{FLOW}").json()["version"] == before


def test_a_preview_reads_what_has_come_with_what_is_not_kept(api: httpx.Client) -> None:
    wait_for(lambda: (instrument(api, FLOW) or {}).get("messages_per_s", 0) > 0, "messages")

    def preview(pattern: str) -> list[dict[str, Any]]:
        query = {"id": "flow", "send": "FL?\r", "patterns": [pattern]}
        body = {"changes": {"query": [query], "channel": []}}
        found = api.post(f"/api/instruments/{FLOW}/preview", json=body)
        assert found.status_code == 200, found.text
        return list(found.json()["rows"])

    good = preview("FL=<value> L/min <word:word>")
    assert 0 < len(good) <= 200
    assert float(good[0]["fields"]["value"]) > 20
    assert good[0]["at"] >= good[-1]["at"]
    assert preview("FX=<value>")[0]["why"].startswith("stops at character 2")
    other = api.post(
        f"/api/instruments/{FLOW}/preview", json={"changes": {"framing": {"terminator": " "}}}
    ).json()["rows"]
    assert other[0]["message"] == "L/min"
    half = api.post(
        f"/api/instruments/{FLOW}/preview", json={"changes": {"framing": {"kind": "between marks"}}}
    ).json()
    assert "need both" in half["trouble"]
    assert half["rows"][0]["fields"]["state"] == "OK"


def test_an_instrument_may_be_called_as_a_page_is(api: httpx.Client) -> None:
    made = [
        api.post("/api/instruments", json={"name": name, "link": {"kind": "serial", "port": f"none/{name}"}})
        for name in ("New", "Calculated")
    ]
    assert [one.json().get("key", one.text) for one in made] == [
        "new-2",
        "calculated-2",
    ]  # those pages stay theirs


def test_a_copy_has_ids_of_its_own(api: httpx.Client) -> None:
    api.delete("/api/setups/power-analyser")
    # On the same port a copy would only be refused: it is made, and its port chosen after.
    copied = api.post(f"/api/instruments/{FLOW}/copy")
    assert copied.status_code == 201, copied.text
    key = copied.json()["key"]
    form = api.get(f"/api/instruments/{key}").json()
    assert form["setup"]["instrument"]["name"] == "Loop flow meter, copy"
    assert form["setup"]["channel"][0]["id"] not in ("loop-flow", "")
    file = api.get(f"/api/instruments/{key}/file")
    assert file.text == form["text"]
    assert f'filename="{key}.setup.toml"' in file.headers["content-disposition"]
    assert api.get("/api/instruments/nobody").status_code == 404


def test_a_command_and_its_answer(server: Server, api: httpx.Client) -> None:
    wait_for(server.recorder.all_passing, "passing")
    said = api.post(f"/api/instruments/{FLOW}/command", json={"data": "ID?\r"}).json()
    assert said["lines"] == ["LOOP FLOW METER", "SERIAL 20417", "VERSION 3.2"]
    assert api.post("/api/instruments/nobody/command", json={"data": "x"}).status_code == 404
    assert api.post(f"/api/instruments/{FLOW}/command", json={"data": "€"}).status_code == 400
    assert api.post(f"/api/instruments/{FLOW}/command", json={"data": ""}).status_code == 422
    assert api.post(f"/api/instruments/{FLOW}/read").status_code == 204
    tape = api.get("/api/live/tape", params={"find": "SERIAL", "direction": "in"}).json()
    assert tape[-1]["text"].startswith("LOOP FLOW METER") or "SERIAL" in tape[-1]["text"]
    file = api.get("/api/live/tape/file", params={"find": "ID?"})
    assert "  ->  ID?\\r\n" in file.text


def test_ports_labels_and_searches(server: Server, api: httpx.Client) -> None:
    server.shop.plug_in(WindingTester)
    wait_for(
        lambda: "simulated/winding-tester" in [p["name"] for p in api.get("/api/ports").json()], "the port"
    )
    assert (
        api.post("/api/ports/label", json={"name": "simulated/winding-tester", "label": "WT"}).status_code
        == 204
    )
    found = api.get("/api/ports").json()
    assert [p["label"] for p in found if p["name"] == "simulated/winding-tester"] == ["WT"]
    begun = api.post(
        "/api/searches", json={"search": "listen on all ports", "ports": ["simulated/winding-tester"]}
    )
    assert begun.status_code == 201
    number = begun.json()["id"]
    assert api.get(f"/api/searches/{number}").json()["search"] == "listen on all ports"
    assert api.delete(f"/api/searches/{number}").json()["done"]
    assert api.get("/api/searches/999").status_code == 404
    assert api.post("/api/searches", json={"search": "gold", "ports": ["x"]}).status_code == 422


def test_the_demo_s_panel(server: Server, api: httpx.Client) -> None:
    assert "./tidy demo has them" in api.get("/api/demo").json()["detail"]
    devices = {device.name: device for device in server.shop.devices}

    class Handler(socketserver.StreamRequestHandler):
        def handle(self) -> None:
            for line in self.rfile:
                self.wfile.write(json.dumps(answer(line, devices, server.shop.loop)).encode() + b"\n")

    with socketserver.ThreadingUnixStreamServer(str(server.places.stand_ins), Handler) as panel:
        threading.Thread(target=panel.serve_forever, daemon=True).start()
        now = api.post("/api/demo", json={"stand_in": FLOW, "fault": "silent"}).json()
        assert [s["faults"] for s in now["stand_ins"] if s["name"] == FLOW] == [["silent"]]
        api.post("/api/demo", json={"stand_in": FLOW, "fault": "silent", "on": False})
        assert api.post("/api/demo", json={"valve": 0.5}).json()["valve"] == 0.5
        api.post("/api/demo", json={"valve_by_itself": True})
        assert (
            "no fault “haunted”"
            in api.post("/api/demo", json={"stand_in": FLOW, "fault": "haunted"}).json()["detail"]
        )
        assert (
            "no stand-in" in api.post("/api/demo", json={"stand_in": "x", "fault": "silent"}).json()["detail"]
        )
        panel.shutdown()
    server.places.stand_ins.unlink()


def test_somebody_else_s_save_is_not_written_over(server: Server) -> None:
    form = server.get("/api/instruments/loop-flow-meter").json()
    change = {"changes": {"instrument": {"note": "first"}}, "version": form["version"]}
    with server.client() as client:
        assert client.patch("/api/instruments/loop-flow-meter", json=change).status_code == 200
        again = client.patch("/api/instruments/loop-flow-meter", json=change)
        assert again.status_code == 409
        assert f"Version {form['version'] + 1} was kept meanwhile" in again.json()["detail"]
        assert server.get("/api/instruments/loop-flow-meter").json()["version"] == form["version"] + 1
        kept = client.get("/api/calculated").json()["text"]
        body = {"calculations": {"format": 1, "calculated": []}, "was": kept + "# another"}
        refused = client.put("/api/calculated", json=body)
        assert (refused.status_code, refused.json()["detail"].split(",")[0]) == (
            409,
            "Other calculated channels were kept meanwhile",
        )


def test_errors_of_pages_stand_in_the_log_and_do_not_fill_it(server: Server) -> None:
    for _ in range(40):
        told = server.post(
            "/api/health/page-errors", {"message": "x is undefined", "where": "Trends, /", "stack": "at y"}
        )
        assert told.status_code == 204
    log = "".join(path.read_text() for path in server.places.logs.glob("web*.log"))
    assert 0 < log.count("a page failed (Trends, /): x is undefined") <= 30
