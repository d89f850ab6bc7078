"""Plans of runs, kept by name for everyone at the bench."""

from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from tidybench.core.plan.plan_file import PlanError, load_plan, plan_text
from tidybench.core.plan.run_plan import RunPlan
from tidybench.records.by_name import save_new
from tidybench.records.models import Plan


def plans(session: Session, bench: int) -> list[str]:
    """The texts of all of a bench's, by their names."""
    return list(session.scalars(select(Plan.text).where(Plan.bench_id == bench).order_by(Plan.name)))


def plans_by_name(session: Session, bench: int) -> dict[str, RunPlan]:
    """All of a bench's, by their names, as runs are begun from them. One that this version cannot read is left out."""
    found: dict[str, RunPlan] = {}
    for text in plans(session, bench):
        try:
            plan = load_plan(text)
        except PlanError:
            continue
        found[plan.plan] = RunPlan.model_validate(plan.model_dump(include=set(RunPlan.model_fields)))
    return found


def take_in(session: Session, bench: int, path: Path) -> bool:
    """Keep the plan of a file, unless one of its name is kept already: a person may have changed that. Whether it was kept. Raises
    PlanError, OSError, UnicodeDecodeError."""
    plan = load_plan(path.read_text("utf-8"))
    return save_new(session, Plan, bench, plan.plan, plan_text(plan))
