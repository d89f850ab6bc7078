"""Questions about a run over the web: the answers are SciPy's of its samples, and those kept stay with it."""

from pathlib import Path
from typing import Any

import pytest
from scipy import stats

from tests.conftest import Server, wait_for
from tidybench.core.samples import channels_of, qualities_of, unpack
from tidybench.runs.seal import verify


def logged(server: Server, rows: int = 40) -> dict[str, Any]:
    server.end_any_run()
    wait_for(server.recorder.all_passing, "the instruments")
    run = server.post(
        "/api/run", {"name": "Asked", "item": "", "operator": "", "row_rule": "steady rows"}
    ).json()
    wait_for(lambda: server.recorder.status().run.rows > rows, "rows")  # type: ignore[union-attr]
    server.post("/api/run/end", {"run": run["id"]})
    wait_for(lambda: server.get(f"/api/runs/{run['id']}").json().get("complete"), "the records")
    found: dict[str, Any] = server.get(f"/api/runs/{run['id']}").json()
    return found


def test_answers_are_those_of_the_samples_and_stay_with_the_run(server: Server) -> None:
    run = logged(server)
    path, folder = f"/api/runs/{run['id']}", Path(run["folder"])
    channel = next(one for one in run["numbers"] if not one["states"] and one["statistics"]["measured"] > 20)
    records = unpack((folder / "samples.bin").read_bytes())
    own = records[(channels_of(records) == channel["number"]) & (qualities_of(records) <= 1)]
    half = own[: len(own) // 2]
    stretch = {"start": int(half["time"][0]), "end": int(half["time"][-1]) + 1}
    asked = {"kind": "slope", "channel": channel["id"], **stretch}
    answer = server.post(f"{path}/questions", asked).json()
    seconds = (half["time"] - half["time"][0]) / 1e6
    direct = stats.linregress(seconds, half["value"])
    [slope] = [one for one in answer["results"] if one["name"] == "Slope"]
    per = {"s": 1, "min": 60, "h": 3600}[slope["unit"].rpartition("/")[2]]
    assert slope["value"] == pytest.approx(direct.slope * per, rel=1e-6, abs=1e-9)
    assert answer["samples"] == len(half)
    assert (answer["start"], answer["end"] + 1) == (stretch["start"], stretch["end"])

    assert server.get(f"{path}/answers").json() == []
    kept = server.post(f"{path}/answers", {"question": asked, "by": "R. Lindqvist", "note": "first half"})
    assert kept.status_code == 201
    second = server.post(f"{path}/answers", {"question": {**asked, "kind": "extremes"}}).json()
    [one, two] = server.get(f"{path}/answers").json()
    assert (one["number"], one["by"], one["note"], one["answer"]) == (1, "R. Lindqvist", "first half", answer)
    assert server.delete(f"{path}/answers/{one['number']}").status_code == 204
    assert server.delete(f"{path}/answers/{one['number']}").status_code == 404
    assert (
        [kept["number"] for kept in server.get(f"{path}/answers").json()]
        == [second["number"]]
        == [two["number"]]
    )
    assert verify(folder).problems == [], "the seal covers what was measured, not what is said of it"
    with open(folder / "later" / "answers.jsonl", "ab") as file:
        file.write(b'{"kept": {"numb')
    again = server.post(f"{path}/answers", {"question": asked}).json()
    assert [kept["number"] for kept in server.get(f"{path}/answers").json()] == [2, again["number"]] == [2, 3]


def test_what_cannot_be_answered_says_why(server: Server) -> None:
    run = logged(server, rows=5)
    path, channel = f"/api/runs/{run['id']}/questions", run["numbers"][0]["id"]
    begun = run["begun_at"]

    def refused(**more: Any) -> str:
        question = {"kind": "slope", "channel": channel, "start": begun, "end": begun + 10**9} | more
        answer = server.post(path, question)
        assert answer.status_code == 409, answer.text
        return str(answer.json()["detail"])

    assert "The run has no channel “nobody”" in refused(channel="nobody")
    assert "ends before it begins" in refused(end=begun - 1)
    assert "no measured sample in this stretch" in refused(start=begun + 10**12, end=begun + 10**12 + 1)
    assert "Choose the other channel" in refused(kind="delay")
    assert "choose another channel" in refused(kind="against", other=channel)
    assert server.post(path, {"kind": "magic", "channel": channel, "start": 0, "end": 1}).status_code == 422
    other = f"/api/runs/{channel.encode().hex()[:8].ljust(8, '0')}-0000-4000-8000-000000000000/questions"
    assert server.post(other, {"kind": "slope", "channel": channel, "start": 0, "end": 1}).status_code == 404
