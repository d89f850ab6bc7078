"""Reactions over HTTP: kept in versions, checked, tried out, and back after the database or the recorder was lost."""

import pytest

from tests.conftest import Server, setup_text, wait_for
from tidybench.core.setup.reactions import load_reactions

PLAIN = {
    "id": "flow-low",
    "name": "Flow low",
    "channel": "loop-flow",
    "below": 5,
    "hysteresis": 2,
    "do": [{"when": "below", "mark": "flow low"}],
}


@pytest.fixture(autouse=True)
def instruments(server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments", 30)


def test_kept_as_data_comments_stay_and_others_are_not_overwritten(server: Server) -> None:
    saved = server.put("/api/reactions", {"reactions": {"reaction": [PLAIN]}})
    assert (saved.status_code, saved.json()["sentence"]) == (200, "Version 1 is in force.")
    text = server.get("/api/reactions").json()["text"]
    commented = text.replace("[[reaction]]", "# as the pump's maker wants it\n[[reaction]]")
    assert server.put("/api/reactions", {"text": commented, "was": text}).status_code == 200
    refused = server.put("/api/reactions", {"reactions": {"reaction": []}, "was": text})
    assert refused.status_code == 409
    more = {"reaction": [PLAIN | {"below": 6}]}
    assert server.put("/api/reactions", {"reactions": more, "was": commented}).status_code == 200
    now = server.get("/api/reactions").json()
    assert "# as the pump's maker wants it" in now["text"]
    assert now["reactions"]["reaction"][0]["below"] == 6
    assert load_reactions(server.get("/api/reactions/file").text).reaction[0].below == 6
    assert [one.id for one in server.recorder.status().reactions] == ["flow-low"]
    bad = server.put("/api/reactions", {"reactions": {"reaction": [PLAIN | {"do": []}]}})
    assert bad.status_code == 422


def test_checked_and_tried_out_by_the_watch_itself(server: Server) -> None:
    elsewhere = PLAIN | {"id": "x", "name": "X", "channel": "nowhere"}
    checked = server.post("/api/reactions/check", {"reaction": [PLAIN, elsewhere]}).json()
    assert [one["problems"] for one in checked] == [[], ["There is no channel “nowhere” on the bench."]]
    assert checked[0]["standings"] == ["below", "good"]

    def tried(
        value: float | None, stood: str | None = "good", **more: object
    ) -> tuple[str | None, list[str]]:
        body = {"reaction": PLAIN | more, "value": value, "stood": stood}
        answer = server.post("/api/reactions/try", body).json()
        return answer["standing"], answer["does"]

    assert tried(4.9) == ("below", ["mark “flow low”"])
    assert tried(5) == ("good", [])
    assert tried(6.9, "below") == ("below", ["mark “flow low”"])
    assert tried(7, "below") == ("good", [])
    assert tried(None) == (None, [])
    lost = {"not_measured_s": 3, "do": [{"when": "not measured", "end_run": True}]}
    assert tried(None, **lost) == ("not measured", ["end the run"])


def test_armed_disarmed_seen_and_carried_out(server: Server) -> None:
    said = PLAIN | {"do": [{"when": "below", "banner": "Flow is low"}]}
    assert server.put("/api/reactions", {"reactions": {"reaction": [said]}}).status_code == 200

    def now() -> object:
        one = server.recorder.status().reactions[0]
        return one.disarmed, one.banner

    path = "/api/reactions/flow-low"
    assert server.post(f"{path}/arm", {"on": False, "by": "M. Okafor"}).status_code == 204
    assert now() == ("disarmed by M. Okafor", "")
    assert server.post(f"{path}/carry-out", {"standing": "below"}).status_code == 204
    wait_for(lambda: now() == ("disarmed by M. Okafor", "Flow is low"), "it to be said")
    assert server.post(f"{path}/seen", {"by": "M. Okafor"}).status_code == 204
    assert now() == ("disarmed by M. Okafor", "")
    assert server.post(f"{path}/carry-out", {"standing": "good"}).json()["detail"] == (
        "“Flow low” does nothing at “good”."
    )
    assert server.post("/api/reactions/none/arm", {"on": True}).status_code == 404


def test_a_procedure_that_is_kept_later_is_known_to_the_reaction_that_names_it(server: Server) -> None:
    named = PLAIN | {"do": [{"when": "below", "procedure": "Drain"}]}
    server.put("/api/reactions", {"reactions": {"reaction": [named]}})
    assert server.recorder.status().reactions[0].problems == ["There is no procedure “Drain”."]
    assert server.post("/api/procedures", {"text": "procedure Drain\n  wait 1 s\n"}).status_code == 201
    wait_for(lambda: server.recorder.status().reactions[0].problems == [], "it to be known")
    with server.client() as client:
        assert client.delete("/api/procedures/Drain").status_code == 204
    wait_for(lambda: server.recorder.status().reactions[0].problems != [], "it to be gone")


def test_no_instrument_may_have_their_id(server: Server) -> None:
    text = setup_text("valve-positioner").replace('id = "valve-positioner"', 'id = "reactions"')
    assert "is taken" in server.post("/api/setups", {"text": text}).json()["detail"]
