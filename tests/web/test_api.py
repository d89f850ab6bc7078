"""The API against a whole bench."""

import asyncio
import csv
import io
import json
import time
import uuid
from pathlib import Path

import httpx
import pytest
from websockets.asyncio.client import connect
from websockets.exceptions import InvalidStatus

from tests.conftest import STALLS, Server, flows, setup_text, wait_for
from tidybench import __version__
from tidybench.core.samples import channels_of, unpack
from tidybench.runs.reread import reread
from tidybench.runs.stamps import parse


def begin(server: Server, name: str = "Run", **more: str) -> dict[str, object]:
    wait_for(server.recorder.all_passing, "the instruments")
    answer = server.post("/api/run", {"name": name, **more})
    assert answer.status_code == 201, answer.text
    return dict(answer.json())


def end(server: Server, run: dict[str, object]) -> None:
    assert server.post("/api/run/end", {"run": run["id"]}).status_code == 204


def rows(server: Server) -> int:
    run = server.get("/api/bench").json()["status"]["run"]
    return int(run["rows"]) if run else 0


def points(server: Server) -> int:
    run = server.get("/api/bench").json()["status"]["run"]
    return int(run["points"]) if run else 0


# ---- who may come in


def test_without_the_token_nothing_is_given(server: Server) -> None:
    for path in ("/api/bench", "/api/health", "/api/openapi.json", "/api/runs", "/api/nonsense"):
        answer = httpx.get(server.base + path)
        assert answer.status_code == 401
        assert "token" in answer.json()["detail"]
    assert httpx.get(server.base + "/").status_code == 401
    assert httpx.get(server.base + "/?token=wrong").status_code == 401
    with server.client(Authorization="Bearer wrong") as client:
        assert client.get("/api/bench").status_code == 401


def test_the_token_becomes_a_strict_cookie(server: Server) -> None:
    with httpx.Client(base_url=server.base) as client:
        answer = client.get(f"/?token={server.token}&begin=")
        assert answer.status_code == 303
        assert server.token not in answer.headers["location"]
        cookie = answer.headers["set-cookie"].lower()
        assert "httponly" in cookie
        assert "samesite=strict" in cookie
        assert server.token.lower() not in cookie  # a cookie reaches every port of this computer
        assert client.get("/api/bench").status_code == 200
        assert server.places.sessions.stat().st_mode & 0o077 == 0
        with httpx.Client(base_url=server.base, headers={"Authorization": "Bearer x"}) as other:
            other.cookies = client.cookies
            assert other.get("/api/bench").status_code == 401
        server.places.sessions.unlink()  # ./tidy address --end-sessions
        assert client.get("/api/bench").status_code == 401


def test_no_page_of_elsewhere_is_loaded_or_may_frame_ours(server: Server) -> None:
    for path in ("/", "/api/bench", "/?token=wrong"):
        headers = server.get(path).headers
        assert "frame-ancestors 'none'" in headers["content-security-policy"]
        assert "default-src 'self'" in headers["content-security-policy"]
        port = server.base.rsplit(":", 1)[1]
        [connect] = [
            part for part in headers["content-security-policy"].split("; ") if part.startswith("connect-src")
        ]
        assert connect == f"connect-src 'self' ws://127.0.0.1:{port} ws://localhost:{port}"
        assert headers["x-content-type-options"] == "nosniff"


def test_what_is_kept_is_readable_by_its_owner_only(server: Server) -> None:
    run = begin(server, "Private")
    folder = Path(str(run["folder"]))
    end(server, run)
    for path in (folder, *folder.rglob("*"), *server.places.logs.iterdir()):
        assert path.stat().st_mode & 0o077 == 0, path


@pytest.mark.parametrize("host", ["evil.example", "evil.example:8470", "127.0.0.1", "127.0.0.1:1", ""])
def test_another_host_is_refused(server: Server, host: str) -> None:
    with server.client(Host=host) as client:
        assert client.get("/api/bench").status_code == 421


@pytest.mark.parametrize("origin", ["http://evil.example", "null", "https://127.0.0.1", "http://127.0.0.1:1"])
def test_another_origin_is_refused(server: Server, origin: str) -> None:
    with server.client(Origin=origin) as client:
        assert client.post("/api/run", json={"name": "x"}).status_code == 403
        assert client.get("/api/bench").status_code == 403


def test_the_socket_is_guarded_too(server: Server) -> None:
    address = f"ws://127.0.0.1:{server.port}/api/live"
    bearer = {"Authorization": f"Bearer {server.token}"}

    async def refused(headers: dict[str, str]) -> None:
        with pytest.raises(InvalidStatus) as caught:
            async with connect(address, additional_headers=headers):
                pass
        assert caught.value.response.status_code == 403

    async def all_of_them() -> None:
        await refused({})
        await refused({**bearer, "Origin": "http://evil.example"})

    asyncio.run(all_of_them())


def test_bodies_that_are_too_large_or_malformed(server: Server) -> None:
    with server.client() as client:
        big = client.post(
            "/api/setups", content=b"x" * 3_000_000, headers={"Content-Type": "application/json"}
        )
        assert big.status_code == 413

        def pieces() -> "object":
            for _ in range(60):
                yield b"x" * 65_536

        endless = client.post("/api/setups", content=pieces(), headers={"Content-Type": "application/json"})  # type: ignore[arg-type]
        assert endless.status_code == 413
        for body in (b"{", b"[]", b'{"name": 5}', b'{"name": "x", "row_rule": "sometimes"}', b"\xff\xfe"):
            answer = client.post("/api/run", content=body, headers={"Content-Type": "application/json"})
            assert answer.status_code in (400, 422)
            assert isinstance(answer.json()["detail"], str)


def test_a_set_up_that_somebody_brought_opens_nothing_elsewhere_unasked(
    server: Server, tmp_path: Path
) -> None:
    secret = tmp_path / "secret.txt"
    secret.write_text("1\n")
    text = (
        '[instrument]\nid = "brought"\nname = "Brought"\ntalks = "on its own"\n'
        f'[link]\nkind = "file"\npath = "{secret}"\n'
    )
    look = server.post("/api/setups/look", {"text": text}).json()
    assert look == {"name": "Brought", "reach": f"reads the file {secret}"}
    refused = server.post("/api/setups", {"text": text})
    assert refused.status_code == 409
    assert str(secret) in refused.json()["detail"]
    assert "brought" not in {one["key"] for one in server.get("/api/setups").json()}
    other = server.post("/api/setups", {"text": text, "agreed": "reads the file /elsewhere"})
    assert other.status_code == 409
    assert server.post("/api/setups", {"text": text, "agreed": look["reach"]}).status_code == 201
    assert server.post("/api/setups/look", {"text": text}).json()["reach"] == ""  # it is in force
    with server.client() as client:
        assert client.delete("/api/setups/brought").status_code == 200


def test_a_channel_cannot_go_by_an_instrument_s_id(server: Server) -> None:
    """It was kept, never came into force, and kept every other change from coming into force."""
    text = setup_text("loop-flow-meter").replace('id = "loop-flow"', 'id = "power-analyser"')
    refused = server.post("/api/setups", {"text": text})
    assert refused.status_code == 400
    assert "“power-analyser” is the id of an instrument" in refused.json()["detail"]
    text = setup_text("loop-flow-meter").replace('id = "loop-flow-meter"', 'id = "motor-input"')
    refused = server.post("/api/setups", {"text": text})
    assert refused.status_code == 400, refused.text


def test_a_new_instrument_gets_an_id_that_no_channel_has(server: Server) -> None:
    """“Motor input” was refused by its own id, which a person cannot choose."""
    made = server.post("/api/instruments", {"name": "Motor input", "link": {"port": "simulated/none"}})
    assert made.status_code == 201, made.text
    assert made.json()["key"] == "motor-input-2"
    with server.client() as client:
        assert client.delete("/api/setups/motor-input-2").status_code == 200


# ---- the bench


def test_health_and_schema(server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments")
    wait_for(lambda: server.get("/api/health").json()["well"], "all to be well")
    health = server.get("/api/health").json()
    assert health["recorder"]["words"] == f"running, process {server.recorder.status().pid}"
    assert health["clerk"]["words"] == "records follow"
    assert health["versions"]["recorder"] == health["versions"]["web_server"] == __version__
    assert health["versions"]["database"].split(".")[0].isdigit()
    assert health["logs"] == str(server.places.logs)
    schema = server.get("/api/openapi.json").json()
    assert "/api/run" in schema["paths"]
    assert set(schema["components"]["securitySchemes"]) == {"token", "session"}


def test_a_method_that_a_route_does_not_have(server: Server) -> None:
    with server.client() as client:
        for method, path in (
            ("DELETE", "/api/run"),
            ("PUT", "/api/setups"),
            ("POST", "/api/health"),
            ("PATCH", "/api/runs"),
        ):
            answer = client.request(method, path)
            assert answer.status_code == 405, (method, path)
            assert answer.headers["allow"]
            assert "detail" in answer.json()
        assert client.get("/api/nothing").status_code == 404


def test_the_socket_brings_samples_status_and_tape(server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments")

    async def listen() -> tuple[set[str], set[float]]:
        kinds, values = set(), set()
        bearer = {"Authorization": f"Bearer {server.token}", "Origin": server.base}
        async with connect(f"ws://127.0.0.1:{server.port}/api/live", additional_headers=bearer) as socket:
            until = time.monotonic() + 10
            while (len(values) < 5 or len(kinds) < 2) and time.monotonic() < until:
                item = await socket.recv()
                if isinstance(item, bytes):
                    values |= set(unpack(item)["value"].tolist())
                else:
                    kinds.add(json.loads(item)["kind"])
        return kinds, values

    kinds, values = asyncio.run(listen())
    assert {"status", "tape"} <= kinds
    assert values & set(flows(server.shop.flow))


def test_the_last_hour_is_there_when_the_page_opens(server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments")
    wait_for(lambda: len(unpack(server.get("/api/live/history").content)) > 5, "some history")
    got = {
        v for v in unpack(server.get("/api/live/history?seconds=3600").content)["value"].tolist() if v == v
    }
    assert got & set(flows(server.shop.flow))
    assert server.get("/api/live/history?seconds=-1").status_code == 422
    assert server.get("/api/live/tape?last=5").json()[-1]["text"]
    assert "simulated/loop-flow-meter" in [p["name"] for p in server.get("/api/ports").json()]


def test_a_run_from_begin_to_logbook(server: Server) -> None:
    run = begin(server, "Pump 7 acceptance", item="P7-0413", operator="M. Okafor")
    wait_for(lambda: rows(server) > 10, "rows")
    assert server.post("/api/run", {"name": "another"}).status_code == 409
    assert server.post("/api/run/marks", {"text": "=valve to 60 %", "by": "me"}).status_code == 201
    assert server.post("/api/run/end", {"run": str(uuid.uuid4())}).status_code == 409
    end(server, run)
    second = server.post("/api/run/end", {"run": run["id"]})
    assert second.status_code == 409
    assert "ended already" in second.json()["detail"]

    def found() -> dict[str, object]:
        return dict(server.get(f"/api/runs/{run['id']}").json())

    wait_for(lambda: found().get("complete"), "the records to be complete")
    detail = server.get(f"/api/runs/{run['id']}").json()
    assert detail["marks"][0]["text"] == "=valve to 60 %"
    file = server.get(f"/api/runs/{run['id']}/csv")
    table = list(csv.DictReader(io.StringIO(file.text)))
    assert run["csv"] in file.headers["content-disposition"]
    flow = next(n for n in detail["numbers"] if n["id"] == "loop-flow")
    logged = {float(row["Loop flow [L/min]"]) for row in table if row["Loop flow [L/min]"]}
    assert flow["statistics"]["minimum"] - 1e-9 <= min(logged)
    trend = unpack(server.get(f"/api/runs/{run['id']}/trend?points=500").content)
    assert logged <= set(trend["value"].tolist()) | {0.0}
    assert server.get("/api/runs?search=okafor").json()["runs"][0]["id"] == run["id"]
    assert server.get("/api/runs?search=%25_%5C").json()["total"] == 0


def test_a_csv_in_several_files_is_listed_and_fetched(server: Server) -> None:
    rule = {"kind": "each reading", "file_mb": 0.002}
    run = server.post("/api/run", {"name": "Files", "row_rule": rule}).json()
    wait_for(lambda: len(list(Path(run["folder"]).glob("*_00?.csv"))) >= 2, "three files")
    end(server, run)
    wait_for(lambda: server.get(f"/api/runs/{run['id']}").json().get("complete"), "the records")
    files = server.get(f"/api/runs/{run['id']}").json()["csv_files"]
    assert [file["number"] for file in files] == list(range(1, len(files) + 1))
    assert files[0]["name"] == run["csv"]
    rows: list[dict[str, str]] = []
    for file in files:
        answer = server.get(f"/api/runs/{run['id']}/csv?file={file['number']}")
        assert file["name"] in answer.headers["content-disposition"]
        assert len(answer.content) == file["bytes"] <= 2000
        rows += csv.DictReader(io.StringIO(answer.text))
        first = next(iter(csv.DictReader(io.StringIO(answer.text))))
        assert parse(first["time"]) == file["first_at"]
    summary = json.loads((Path(run["folder"]) / "summary.json").read_text())
    assert len(rows) == summary["rows"] > 20
    missing = server.get(f"/api/runs/{run['id']}/csv?file=99")
    assert (missing.status_code, "has no file 99" in missing.json()["detail"]) == (404, True)


def test_marks_of_a_run_that_has_ended_are_set_and_corrected(server: Server) -> None:
    run = begin(server, "Marked later")
    assert server.post("/api/run/marks", {"text": "valve 60", "by": "M"}).status_code == 201
    time.sleep(1)
    place = f"/api/runs/{run['id']}"
    at = int(str(run["begun_at"])) + 500_000
    assert server.post(f"{place}/marks", {"at": at, "text": "x"}).status_code in (400, 404)  # it goes on
    end(server, run)
    wait_for(lambda: server.get(place).json().get("complete"), "the records")
    [first] = server.get(place).json()["marks"]
    made = server.post(f"{place}/marks", {"at": at, "text": "a knock", "by": "N"})
    assert made.status_code == 201, made.text
    change = {"at": first["at"], "text": "valve to 60 %", "by": "N", "before": "valve 60"}
    assert server.patch(f"{place}/marks", change).status_code == 200
    late = server.patch(f"{place}/marks", change)
    assert (late.status_code, "corrected meanwhile" in late.json()["detail"]) == (409, True)
    outside = server.post(f"{place}/marks", {"at": at - 10_000_000, "text": "x"})
    assert (outside.status_code, "outside the run" in outside.json()["detail"]) == (400, True)
    assert {mark["text"] for mark in server.get(place).json()["marks"]} == {"a knock", "valve to 60 %"}
    out = server.patch(f"{place}/marks", {**change, "before": "valve to 60 %", "void": True})
    assert [mark["text"] for mark in out.json()["marks"]] == ["a knock"]
    assert [mark["text"] for mark in server.get(place).json()["marks"]] == ["a knock"]
    history = server.get(f"{place}/marks/history").json()
    assert [(one["before"], one["text"], one["void"]) for one in history] == [
        ("", "a knock", False),
        ("valve 60", "valve to 60 %", False),
        ("valve to 60 %", "valve to 60 %", True),
    ]
    wait_for(lambda: server.get(f"{place}/seal").status_code == 200, "the seal")
    assert server.post(f"{place}/verify", {}).json()["problems"] == []


def test_points_of_a_run_beside_those_of_another(server: Server) -> None:
    rule = {
        "channels": {"loop-flow": {}, "motor-input": {}},
        "steady_s": 0.5,
        "average_s": 0.7,
        "give_up_s": 20,
    }
    runs = []
    for names in (["a", "b"], ["b", "c"]):
        run = begin(server, f"Points {names}")
        for count, name in enumerate(names, 1):
            assert server.post("/api/run/points", {"rule": rule, "name": name}).status_code == 201
            wait_for(lambda n=count: points(server) == n, "the point")  # type: ignore[misc]
        end(server, run)
        wait_for(lambda key=run["id"]: server.get(f"/api/runs/{key}").json().get("complete"), "the records")  # type: ignore[misc]
        runs.append(server.get(f"/api/runs/{run['id']}").json())
    first, second = runs
    others = server.get(f"/api/runs/{first['id']}/points/others").json()
    assert others[0]["id"] == second["id"]
    assert first["id"] not in {one["id"] for one in others}
    pairs = server.get(f"/api/runs/{first['id']}/points/beside/{second['id']}").json()["pairs"]
    assert [(one["name"], one["first"], one["second"]) for one in pairs] == [
        ("a", 1, None),
        ("b", 2, 1),
        ("c", None, 2),
    ]
    flow = next(one for one in pairs[1]["channels"] if one["id"] == "loop-flow")
    [old], [new] = (
        [
            mean
            for point in run["points"]["points"]
            if point["name"] == "b"
            for mean in point["means"]
            if mean["id"] == "loop-flow"
        ]
        for run in runs
    )
    assert flow["difference"] == pytest.approx(new["mean"] - old["mean"])
    assert flow["expanded"] == pytest.approx((old["expanded"] ** 2 + new["expanded"] ** 2) ** 0.5)
    assert flow["finding"] == (
        "apart" if abs(flow["difference"]) > flow["expanded"] else "within its uncertainty"
    )
    plain = begin(server, "No points")
    end(server, plain)
    wait_for(lambda: server.get(f"/api/runs/{plain['id']}").json().get("complete"), "the records")
    none = server.get(f"/api/runs/{first['id']}/points/beside/{plain['id']}")
    assert (none.status_code, "has no test points" in none.json()["detail"]) == (404, True)
    assert plain["id"] not in {
        one["id"] for one in server.get(f"/api/runs/{first['id']}/points/others").json()
    }


def test_odd_names_are_kept_and_never_leave_their_folder(server: Server) -> None:
    for name in ('=HYPERLINK("x")', "../../../tmp/x", "a/b\\c", "😀", "'quoted' \"twice\"", "."):
        run = begin(server, name)
        assert "/runs/" in str(run["folder"])
        assert ".." not in str(run["folder"])
        end(server, run)
        wait_for(lambda key=run["id"]: server.get(f"/api/runs/{key}").status_code == 200, "the logbook")  # type: ignore[misc]
        assert server.get(f"/api/runs/{run['id']}").json()["name"] == name
    for name in ("", "  ", "x" * 121, "a\nb"):
        answer = server.post("/api/run", {"name": name})
        assert answer.status_code in (400, 422)
        assert answer.json()["detail"]


def test_what_is_not_there(server: Server) -> None:
    for path in (
        f"/api/runs/{uuid.uuid4()}",
        f"/api/runs/{uuid.uuid4()}/csv",
        f"/api/runs/{uuid.uuid4()}/trend",
    ):
        assert server.get(path).status_code == 404
    assert server.get("/api/runs/nonsense").status_code == 422
    assert server.get("/api/nonsense").status_code == 404
    assert server.post("/api/ports/release", {"link": "COM99"}).status_code == 404


def test_set_ups_are_saved_checked_and_put_in_force(server: Server) -> None:
    stored = {s["key"]: s for s in server.get("/api/setups").json()}
    assert set(stored) == {"loop-flow-meter", "power-analyser"}
    bad = server.post("/api/setups", {"text": setup_text("loop-flow-meter").replace("baud", "bawd")})
    assert bad.status_code == 400
    assert "link.bawd: there is no such key" in bad.json()["detail"]
    changed = setup_text("loop-flow-meter").replace('name = "Loop flow"', 'name = "Flow in the loop"')
    saved = server.post("/api/setups", {"text": changed}).json()
    assert saved["in_force"]
    wait_for(
        lambda: (
            "Flow in the loop" in [c["name"] for c in server.get("/api/bench").json()["status"]["channels"]]
        ),
        "the new name",
    )
    with server.client() as client:
        removed = client.delete("/api/setups/power-analyser")
        assert client.delete("/api/setups/power-analyser").status_code == 404
    wait_for(lambda: len(server.get("/api/bench").json()["status"]["instruments"]) == 1, "it to be gone")
    assert server.post("/api/setups", {"text": removed.json()["text"]}).json()["version"] == 1


def test_a_set_up_changed_during_a_run_leaves_its_columns_and_stands_on_its_tape(server: Server) -> None:
    run = begin(server, "Changed on the way")
    wait_for(lambda: rows(server) > 3, "rows")
    text = setup_text("loop-flow-meter").replace('name = "Loop flow"', 'name = "Later"')
    more = (
        '\n[[channel]]\nid = "flow-m3h"\nname = "Flow in m3/h"\nfield = "flow"\nunit = "m3/h"\nscale = 0.06\n'
    )
    during = server.post("/api/setups", {"text": text + more}).json()
    assert during["in_force"]
    assert "its columns stay as they were" in during["sentence"]
    with server.client() as client:
        removed = client.delete("/api/setups/power-analyser")
    before = rows(server)
    wait_for(lambda: rows(server) > before + 8, "the run to go on")
    status = server.get("/api/bench").json()["status"]
    number = next(c["number"] for c in status["channels"] if c["id"] == "flow-m3h")
    end(server, run)
    assert server.post("/api/setups", {"text": removed.json()["text"]}).status_code == 201
    folder = Path(status["run"]["folder"])
    with open(folder / status["run"]["csv"], newline="", encoding="utf-8") as file:
        table = list(csv.DictReader(file))
    assert [*table[0]][2:-1] == [c["title"] for c in columns_of(folder)]
    flow, power = [*table[0]][2:4]
    assert "Later" not in flow
    assert any(row[flow] for row in table[-8:])  # a row may be without: the machine may have stood still
    assert (power, table[-1][power]) == ("Motor input [kW]", "")
    records = unpack((folder / "samples.bin").read_bytes())
    assert (channels_of(records) == number).sum() > 5
    read_again = b"".join(r.batch.pack(r.sequence) for r in reread(folder) if r.batch is not None)
    assert read_again == (folder / "samples.bin").read_bytes()
    assert '"k":"set-up"' in (folder / "tape" / "0001.jsonl").read_text("utf-8")
    wait_for(lambda: server.get(f"/api/runs/{run['id']}").json().get("complete"), "the records")


def columns_of(folder: Path) -> list[dict[str, str]]:
    """The titles of the run's channels, from its metadata."""
    found = json.loads(next(folder.glob("*-metadata.json")).read_text("utf-8"))
    return [{"title": c["titles"]} for c in found["tableSchema"]["columns"][2:-1]]


# ---- when things go away


def test_the_web_server_killed_in_mid_run(server: Server) -> None:
    run = begin(server, "Goes on")
    wait_for(lambda: rows(server) > 3, "rows")
    before = rows(server)
    server.kill_web()
    server.start_web()
    wait_for(lambda: rows(server) > before + 5, "the run to go on")
    end(server, run)
    wait_for(lambda: server.get(f"/api/runs/{run['id']}").json().get("complete"), "the records")
    detail = server.get(f"/api/runs/{run['id']}").json()
    table = list(csv.DictReader(io.StringIO(server.get(f"/api/runs/{run['id']}/csv").text)))
    times = [row["time"] for row in table]
    assert len(times) == len(set(times))
    # A computer that stood still answers late whoever is killed.
    assert STALLS.happened() or detail["counts"]["missed"] == detail["counts"]["gave_up"] == 0


def test_the_recorder_away_is_said_with_an_honest_status(server: Server) -> None:
    server.recorder.kill()
    wait_for(lambda: server.get("/api/bench").json()["kind"] == "away", "it to be missed")
    answer = server.post("/api/run", {"name": "x"})
    assert answer.status_code == 503
    assert "recorder does not answer" in answer.json()["detail"]
    assert not server.get("/api/health").json()["well"]
    server.recorder.start(carry_on=True)
    wait_for(server.ready, "the recorder to be heard again")
    # What was refused must not be carried out behind the person's back.
    assert server.get("/api/bench").json()["status"]["run"] is None
