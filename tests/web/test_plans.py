"""Plans kept by name, over HTTP."""

from pathlib import Path

import pytest
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from tests.conftest import DEMO, Server, wait_for
from tidybench.core.compile.load import load
from tidybench.core.plan.plan_file import PlanError, load_plan
from tidybench.core.setup.calculated import load_calculations
from tidybench.records.plans import plans, take_in
from tidybench.records.setups import bench_id


def test_plans_are_kept_replaced_brought_and_removed(server: Server) -> None:
    plan = {"name": "Pump acceptance", "order": "A-17", "ends": {"rows": 5}, "row_rule": {"every_s": 2}}
    with server.client() as api:
        wait_for(lambda: api.get("/api/plans").status_code == 200, "the records")
        assert api.put("/api/plans/Acceptance", json=plan).status_code == 200
        assert api.put("/api/plans/Acceptance", json={**plan, "order": "A-18"}).status_code == 200
        [kept] = api.get("/api/plans").json()
        assert (kept["plan"], kept["order"], kept["ends"]["rows"]) == ("Acceptance", "A-18", 5)
        file = api.get("/api/plans/Acceptance/file")
        assert 'filename="acceptance.plan.toml"' in file.headers["content-disposition"]
        text = file.text.replace('plan = "Acceptance"', 'plan = "Endurance"')
        assert api.post("/api/plans", json={"text": text}).status_code == 201
        assert [one["plan"] for one in api.get("/api/plans").json()] == ["Acceptance", "Endurance"]
        refused = api.post("/api/plans", json={"text": text + "until = 3\n"})
        assert refused.status_code == 422
        assert "there is no such key" in refused.json()["detail"]
        assert api.put("/api/plans/x", json={"name": "x", "ends": {"rows": 0}}).status_code == 422
        assert api.delete("/api/plans/Endurance").status_code == 204
        assert api.delete("/api/plans/Endurance").status_code == 404
        assert api.get("/api/plans/Endurance/file").status_code == 404


def test_a_run_has_its_plan_and_its_seal(server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments")
    plan = {"name": "Planned", "item": "P7", "order": "A-17", "ends": {"rows": 2}, "fields": {"Class": "B"}}
    assert server.post("/api/run", {**plan, "ends": {"at": "2020-01-01T00:00Z"}}).status_code >= 400
    run = server.post("/api/run", plan).json()
    wait_for(lambda: server.recorder.status().run is None, "its end")
    place = f"/api/runs/{run['id']}"
    wait_for(
        lambda: server.get(place).status_code == 200 and server.get(place).json()["ended_at"], "the records"
    )
    again = server.get(f"{place}/plan").json()
    assert {key: again[key] for key in ("name", "item", "order", "fields")} == {
        key: plan[key] for key in ("name", "item", "order", "fields")
    }
    assert again["ends"]["rows"] == 2
    wait_for(lambda: server.get(f"{place}/seal").status_code == 200, "the seal")
    told = server.post(f"{place}/verify", {}).json()
    assert told["problems"] == []
    # The Logbook finds it by its order number and by a field.
    for word in ("A-17", "Class"):
        assert [one["id"] for one in server.get(f"/api/runs?search={word}").json()["runs"]] == [run["id"]]


def test_plans_beside_set_ups_are_kept_once(tmp_path: Path, engine: Engine) -> None:
    path = tmp_path / "a.plan.toml"
    path.write_text('format = 1\nplan = "Acceptance"\nname = "x"\n')
    with Session(engine) as session, session.begin():
        bench = bench_id(session, "b", "k")
        assert take_in(session, bench, path)
        path.write_text('format = 1\nplan = "Acceptance"\nname = "another"\n')
        assert not take_in(session, bench, path)  # a person may have changed the one that is kept
        assert [load_plan(text).name for text in plans(session, bench)] == ["x"]
        path.write_text("nonsense")
        with pytest.raises(PlanError, match="not TOML"):
            take_in(session, bench, path)


def test_the_demo_s_plan_names_channels_of_its_bench() -> None:
    plan = load_plan((DEMO / "acceptance.plan.toml").read_text("utf-8"))
    known = {c.id for path in DEMO.glob("*.setup.toml") for c in load(path.read_text("utf-8")).channel}
    known |= {one.id for one in load_calculations((DEMO / "calculated.toml").read_text("utf-8")).calculated}
    assert plan.points is not None
    assert set(plan.points.channels) <= known


def test_a_procedure_begins_a_run_from_a_kept_plan(server: Server) -> None:
    wait_for(server.recorder.all_passing, "the instruments", 30)
    server.end_any_run()
    text = 'procedure Planned\n  begin run from plan "By itself"\n'

    def problems() -> list[str]:
        found = server.post("/api/procedures/check", {"text": text}).json()["problems"]
        return [one["what"] for one in found]

    assert problems() == ["There is no plan “By itself”."]
    assert server.put("/api/plans/By%20itself", {"name": "Pump 9", "item": "P9"}).status_code == 200
    assert problems() == []
    assert server.get("/api/procedures").status_code == 200
    assert server.post("/api/procedure/start", {"text": text, "by": "M. Okafor"}).status_code == 204
    wait_for(lambda: server.recorder.status().run is not None, "the run")
    run = server.recorder.status().run
    assert run is not None
    assert (run.name, run.item, run.operator) == ("Pump 9", "P9", "M. Okafor")
    server.end_any_run()

    # A reaction's procedure knows it too, also when it is changed later.
    assert server.post("/api/procedures", {"text": text}).status_code == 201
    reaction = {
        "id": "r",
        "name": "R",
        "channel": "loop-flow",
        "below": -1,
        "do": [{"when": "below", "procedure": "Planned"}],
    }
    assert server.put("/api/reactions", {"reactions": {"reaction": [reaction]}}).status_code == 200
    assert server.put("/api/plans/By%20itself", {"name": "Pump 10"}).status_code == 200
    assert server.post("/api/reactions/r/carry-out", {"standing": "below"}).status_code == 204
    wait_for(lambda: server.recorder.status().run is not None, "the run")
    run = server.recorder.status().run
    assert run is not None
    assert (run.name, run.operator) == ("Pump 10", "the reaction “R”")
    server.end_any_run()
