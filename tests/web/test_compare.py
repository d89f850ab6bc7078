"""Runs beside each other over the web: aligned at a moment of each, and one less the other."""

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tests.conftest import Server, wait_for
from tidybench.core.samples import channels_of, qualities_of, unpack


def logged(server: Server, name: str, mark: str) -> dict[str, Any]:
    server.end_any_run()
    wait_for(server.recorder.all_passing, "the instruments")
    run = server.post("/api/run", {"name": name, "row_rule": "steady rows"}).json()
    wait_for(lambda: server.recorder.status().run.rows > 15, "rows")  # type: ignore[union-attr]
    assert server.post("/api/run/marks", {"text": mark, "by": ""}).status_code < 300
    wait_for(lambda: server.recorder.status().run.rows > 40, "rows")  # type: ignore[union-attr]
    server.post("/api/run/end", {"run": run["id"]})
    wait_for(lambda: server.get(f"/api/runs/{run['id']}").json().get("complete"), "the records")
    found: dict[str, Any] = server.get(f"/api/runs/{run['id']}").json()
    return found


def samples(run: dict[str, Any], channel: dict[str, Any]) -> tuple[Any, Any]:
    records = unpack((Path(run["folder"]) / "samples.bin").read_bytes())
    own = records[(channels_of(records) == channel["number"]) & (qualities_of(records) <= 1)]
    return own["time"], own["value"]


def test_two_runs_are_aligned_at_a_mark_and_one_is_taken_off_the_other(server: Server) -> None:
    one, two = logged(server, "First", "valve to 60 %"), logged(server, "Second", "Valve to 60 % again")

    def aligned(run: dict[str, Any], **by: Any) -> int:
        answer = server.post(f"/api/runs/{run['id']}/alignment", by)
        assert answer.status_code == 200, answer.text
        return int(answer.json()["at"])

    marks = [aligned(run, by="mark", text="VALVE to 60") for run in (one, two)]
    assert marks == [run["marks"][0]["at"] for run in (one, two)]
    assert [aligned(run, by="begin") for run in (one, two)] == [one["begun_at"], two["begun_at"]]
    refused = server.post(f"/api/runs/{one['id']}/alignment", {"by": "mark", "text": "pump off"})
    assert (refused.status_code, refused.json()["detail"]) == (
        409,
        "First: It has no mark with “pump off” in it.",
    )
    assert (
        server.post(f"/api/runs/{one['id']}/alignment", {"by": "clock", "clock": "25:00"}).status_code == 422
    )

    channel = next(c for c in one["numbers"] if not c["states"] and c["statistics"]["measured"] > 20)
    times, values = samples(one, channel)
    level = float(np.median(values))
    at = aligned(one, by="level", channel=channel["id"], level=level, rising=True)
    past = values >= level
    assert at == times[np.argmax(past & ~np.r_[False, past[:-1]])]
    at = aligned(one, by="level", channel=channel["id"], level=level, rising=False)
    past = values <= level
    assert at == times[np.argmax(past & ~np.r_[False, past[:-1]])]
    never = server.post(
        f"/api/runs/{one['id']}/alignment", {"by": "level", "channel": channel["id"], "level": 1e9}
    )
    assert "never passes" in never.json()["detail"]

    stretch = (marks[0] - 2_000_000, marks[0] + 2_000_000)
    body = {
        "of": {"run": two["id"], "at": marks[1], "channel": channel["id"]},
        "reference": {"run": one["id"], "at": marks[0], "channel": channel["id"]},
        "start": stretch[0], "end": stretch[1], "allowed": 1e6,
    }  # fmt: skip
    answer = server.post("/api/compare", body).json()
    later, others = samples(two, channel)
    later = later - marks[1] + marks[0]
    inside = (later >= stretch[0]) & (later < stretch[1])
    mine = (times >= stretch[0]) & (times < stretch[1])
    known = inside & (later >= times[mine][0]) & (later <= times[mine][-1])
    expected = np.interp(later[known], times[mine], values[mine])
    found = {each["name"]: each["value"] for each in answer["results"]}
    assert found["Mean difference"] == pytest.approx((others[known] - expected).mean(), rel=1e-6, abs=1e-9)
    assert found["Inside the band"] == 100
    strict = server.post("/api/compare", body | {"allowed": 0.0}).json()
    assert "outside ±" in strict["words"]
    other = next(c for c in one["numbers"] if c["unit"] != channel["unit"] and not c["states"])
    refused = server.post("/api/compare", body | {"reference": body["reference"] | {"channel": other["id"]}})  # type: ignore[operator]
    assert refused.status_code == 409
    assert "cannot be compared" in refused.json()["detail"]


def test_bands_of_other_kinds_and_a_comparison_that_is_kept_with_its_report(server: Server) -> None:
    one, two = logged(server, "First", "valve to 60 %"), logged(server, "Second <b>", "valve to 60 %")
    marks = [run["marks"][0]["at"] for run in (one, two)]
    channel = next(c for c in one["numbers"] if not c["states"] and c["statistics"]["measured"] > 20)
    stretch = {"start": marks[0] - 2_000_000, "end": marks[0] + 2_000_000}
    a = {"run": one["id"], "at": marks[0], "channel": channel["id"]}
    b = {"run": two["id"], "at": marks[1], "channel": channel["id"]}
    # A corridor that the run leaves half way: by hand from the samples.
    times, values = samples(one, channel)
    mine = (times >= stretch["start"]) & (times < stretch["end"])
    level = float(np.median(values[mine]))
    corridor = [{"after_s": -2, "upper": level}, {"after_s": 2, "upper": level}]
    found = server.post("/api/compare", {"of": a, **stretch, "corridor": corridor}).json()
    share = 100 * np.mean(values[mine] <= level)
    assert {x["name"]: x["value"] for x in found["results"]}["Inside the band"] == pytest.approx(
        share, abs=0.011
    )
    # Stretches of one run: itself, a second later, by deviations of three.
    shifted = [{**a, "at": marks[0] + n * 500_000} for n in (1, 2)]
    by_deviations = {"of": b, "reference": a, **stretch, "deviations": 50.0, "others": shifted}
    answer = server.post("/api/compare", by_deviations)
    assert answer.status_code == 200, answer.text
    assert "the mean of 3 runs" in answer.json()["words"]
    for wrong, words in (
        ({"of": b, "reference": a, **stretch, "deviations": 2.0}, "3 runs or more"),
        ({"of": a, **stretch}, "by a corridor alone"),
        ({"of": a, **stretch, "corridor": corridor, "allowed": 1.0}, "Give one band"),
        ({"of": a, **stretch, "corridor": corridor[:1]}, "two corners"),
    ):
        refused = server.post("/api/compare", wrong)
        assert refused.status_code == 409, refused.text
        assert words in refused.json()["detail"]

    place = f"/api/runs/{one['id']}/comparisons"
    members = [{"run": one["id"], "at": marks[0]}, {"run": two["id"], "at": marks[1]}]
    asked = {"of": b, "reference": a, **stretch, "allowed": 0.0}
    body = {
        "members": members,
        "channel": channel["id"],
        **stretch,
        "answers": [{"place": 1, "asked": asked}],
        "by": "N",
        "note": "why?",
    }
    kept = server.post(place, body)
    assert kept.status_code == 201, kept.text
    assert server.get(place).json() == [kept.json()]
    assert kept.json()["answers"][0]["answer"]["words"] == server.post("/api/compare", asked).json()["words"]
    page = server.get(f"{place}/1/report")
    assert page.headers["content-type"].startswith("text/html")
    assert "Second &lt;b&gt;" in page.text
    assert "<b>Second" not in page.text
    assert "why?" in page.text
    assert page.text.count('class="strip"') >= 2
    # Its numbers are those of the samples.
    mean = f"{values[mine].mean():.{channel['decimals'] + 1}f}".replace("-", "−")
    assert f">{mean} (" in page.text
    assert server.post(place, {**body, "members": members[::-1]}).status_code == 400
    assert server.post(place, {**body, "answers": [{"place": 5, "asked": asked}]}).status_code == 400
    with server.client() as client:
        assert client.delete(f"{place}/1").status_code == 204
        assert client.delete(f"{place}/1").status_code == 404
    assert server.get(place).json() == []
    assert server.get(f"{place}/1/report").status_code == 404
    assert server.post(f"/api/runs/{one['id']}/verify", {}).json()["problems"] == []
