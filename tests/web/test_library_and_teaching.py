"""The library, proposals, previews and pointing, as the web server answers them."""

from tests.conftest import Server, setup_text, wait_for
from tests.test_captures import LIBRARY
from tidybench.core.compile.edit import adapted
from tidybench.core.compile.load import load
from tidybench.library import FOLDER, shelf
from tidybench.standins.instruments import PressurePair, SealRig


def test_every_set_up_of_the_library_is_good_and_says_what_it_is_for() -> None:
    assert {one.key for one in shelf()} == {p.name.removesuffix(".setup.toml") for p in FOLDER.iterdir()}
    assert {
        "scpi-multimeter",
        "nmea-sounder",
        "modbus-transmitter",
        "comma-board",
        "label-controller",
        *LIBRARY,
    } <= {one.key for one in shelf()}
    for one in shelf():
        assert one.about
        assert load(one.text).is_read


def test_a_set_up_of_the_library_gets_a_link_and_ids_of_its_own() -> None:
    [sounder] = [one for one in shelf() if one.key == "nmea-sounder"]
    text = adapted(
        sounder.text, {"port": "/dev/ttyS7", "baud": 9600}, "Sump depth", {"sump-depth"}, {"sounder-depth"}
    )
    setup = load(text)
    assert (setup.instrument.id, setup.instrument.name, setup.link.short) == (
        "sump-depth-2",
        "Sump depth",
        "9600 8-N-1",
    )
    assert [channel.id for channel in setup.channel] == ["sounder-depth-2", "sounder-temperature"]
    assert text.startswith("# A depth sounder")


def test_an_instrument_begins_with_a_set_up_of_the_library(server: Server) -> None:
    rig = server.shop.plug_in(SealRig)
    found = {one["key"]: one for one in server.get("/api/library").json()}
    assert found["seal-rig"]["link"]["baud"] == 2400
    body = {"name": "Rig two", "link": {"kind": "serial", "port": "simulated/seal-rig"}, "like": "seal-rig"}
    assert server.post("/api/instruments", body).status_code == 201
    assert server.post("/api/instruments", {**body, "like": "nobody"}).status_code == 404

    def stages() -> dict[str, str]:
        found = next(i for i in server.recorder.status().instruments if i.id == "rig-two")
        return {stage.name: stage.state for stage in found.stages}

    wait_for(lambda: stages()["Channels"] == "passing", "samples")
    # And what it makes of what comes can be asked for, with other keys than are kept.
    wait_for(lambda: len(rig.sent) > 6, "some messages")
    shown = server.post("/api/instruments/rig-two/preview", {"changes": {}}).json()
    assert shown["rows"][0]["why"] == ""
    assert set(shown["rows"][0]["fields"]) == {"T", "P", "L"}
    rig.fault("dashes")
    reader = {"kind": "pairs", "between": ";", "equals": "=", "decimal": ",", "none": ["-,---"]}

    def failures() -> list[dict[str, object]]:
        answer = server.post("/api/instruments/rig-two/preview", {"changes": {"listen": {"reader": reader}}})
        return list(answer.json()["failures"])

    wait_for(lambda: bool(failures()), "dashes")
    [first, *_] = failures()
    assert first["remedies"][0]["token"] == "--,--"  # type: ignore[index]
    rig.fault("dashes", False)
    proposals = server.post("/api/instruments/rig-two/proposals", {"changes": {"listen": None}}).json()
    assert proposals["readings"][0]["title"] == "labels and values"
    assert {c["id"] for c in proposals["readings"][0]["channels"]} == {"p", "l"}
    assert server.post("/api/instruments/nobody/proposals", {"changes": {}}).status_code == 404


def test_pointing_over_the_wire(server: Server) -> None:
    body = {
        "source": "",
        "message": "FL=+0148",
        "start": 3,
        "end": 8,
        "meaning": "number",
        "name": "flow",
        "unit": "L/min",
    }
    assert server.post("/api/patterns/point", body).json() == {"source": "FL=<flow [L/min]>"}
    refused = server.post("/api/patterns/point", {**body, "end": 4, "source": ""})
    assert refused.status_code == 400
    assert "This selection cannot be read that way" in refused.json()["detail"]
    assert server.post("/api/patterns/point", {**body, "start": 9, "end": 9}).status_code == 400
    assert server.post("/api/patterns/point", {**body, "message": "é€"}).status_code == 400
    assert server.post("/api/patterns/point", {**body, "meaning": "anything"}).status_code == 422


def test_a_coil_is_written_and_read_back_between_polls(server: Server) -> None:
    server.shop.plug_in(PressurePair)
    text = setup_text("pressure-pair-discharge")
    assert server.post("/api/setups", {"text": text}).status_code == 201

    def passing() -> bool:
        found = next(i for i in server.recorder.status().instruments if i.id == "pressure-pair-discharge")
        return found.stages[-1].state == "passing"

    def write(name: str, value: float) -> dict[str, object]:
        answer = server.post(
            "/api/instruments/pressure-pair-discharge/registers", {"name": name, "value": value}
        )
        return {"code": answer.status_code, **answer.json()}

    wait_for(passing, "samples")
    done = write("zero", 1)
    assert (done.get("good"), done.get("read_back")) == (True, 1.0), done

    def zeroed() -> bool:
        rows = server.post("/api/instruments/pressure-pair-discharge/preview", {"changes": {}}).json()["rows"]
        pressures = [float(row["fields"]["pressure"]) for row in rows if "pressure" in row["fields"]]
        return abs(pressures[0]) < 0.5 < pressures[-1]

    wait_for(zeroed, "a pressure that is zero now and was not")
    assert write("zero", 0)["good"] is True
    assert write("pressure", 1)["code"] == 400
    assert "not marked as one that may be written" in str(write("pressure", 1)["detail"])
    assert write("nothing", 1)["code"] == 404


def test_versions_say_what_changed(server: Server) -> None:
    text = server.get("/api/instruments/loop-flow-meter").json()["text"]
    assert (
        server.post("/api/setups", {"text": text.replace("every_s = 0.2", "every_s = 0.25")}).status_code
        == 201
    )
    newest, *_, first = server.get("/api/instruments/loop-flow-meter/versions").json()
    assert newest["changes"] == ["- every_s = 0.2", "+ every_s = 0.25"]
    assert (first["version"], first["changes"]) == (1, [])
    assert server.get("/api/instruments/nobody/versions").status_code == 404
