"""The copier beside the records."""

import time
from pathlib import Path

import pytest
from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from tests.runs.test_folder import AT, CHANNEL, entry
from tests.runs.test_rows import batch
from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.quality import Quality
from tidybench.records.models import Run
from tidybench.runs.log import RunLog
from tidybench.runs.seal import verify
from tidybench.web import copier as module
from tidybench.web.clerk import Clerk
from tidybench.web.copier import Copier


def ended(runs: Path, name: str, to: Path) -> Path:
    plan = RunPlan(name=name, copy_to=str(to))
    log = RunLog.begin(
        runs, bench="b", name=name, item="", operator="", row_rule=plan.row_rule, at=AT, channels=[CHANNEL], setups={}, plan=plan,
    )  # fmt: skip
    log.write([entry(1, AT + 1000, batch((1, AT + 1000, 1.0, Quality.OK)))], AT + 1000)
    log.end(AT + 2_000_000, "ended")
    return log.folder


def test_it_is_tried_again_until_it_is_there(
    tmp_path: Path, engine: Engine, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(module, "SOONEST", 1.0)
    runs, share = tmp_path / "runs", tmp_path / "share"
    folder = ended(runs, "Kept elsewhere", share)
    Clerk(engine, runs).follow()
    copier = Copier(engine, runs)

    def stands() -> tuple[int | None, str]:
        with Session(engine) as session:
            run = session.scalars(select(Run)).one()
            return run.copied_at, run.copy_trouble

    copier.look()
    assert copier.waiting == 1
    assert "share is not there" in copier.trouble
    assert stands() == (None, copier.trouble)
    share.mkdir()
    copier.look()  # not due yet
    assert stands()[0] is None
    time.sleep(1.1)
    copier.look()
    copied_at, trouble = stands()
    assert copied_at is not None
    assert (trouble, copier.trouble, copier.waiting) == ("", "", 0)
    assert verify(share / folder.parent.name / folder.name).problems == []


def test_a_run_that_is_just_being_sealed_is_waited_for(
    tmp_path: Path, engine: Engine, monkeypatch: pytest.MonkeyPatch
) -> None:
    runs, share = tmp_path / "runs", tmp_path / "share"
    share.mkdir()
    folder = ended(runs, "Long", share)
    (folder / "manifest.json").rename(folder.parent / "kept")
    Clerk(engine, runs).follow()
    copier = Copier(engine, runs)
    monkeypatch.setattr(module.time, "time_ns", lambda: (AT + 3_000_000) * 1000)
    copier.look()
    assert (copier.waiting, copier.trouble) == (1, "")
    monkeypatch.setattr(module.time, "time_ns", lambda: (AT + 700_000_000) * 1000)
    copier.look()
    assert "not sealed" in copier.trouble
