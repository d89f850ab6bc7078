"""Plans of runs, kept by name."""

import time
from typing import Annotated

from anyio import from_thread
from fastapi import APIRouter, HTTPException, Path, Request, Response
from pydantic import Field
from sqlalchemy.orm import Session

from tidybench.core.plan.plan_file import PlanError, PlanFile, load_plan, plan_text
from tidybench.core.plan.run_plan import RunPlan
from tidybench.core.values.exact import Exact
from tidybench.records import by_name
from tidybench.records.models import Plan
from tidybench.records.plans import plans
from tidybench.runs.folder import slug
from tidybench.web.context import context_of
from tidybench.web.refusals import REFUSALS
from tidybench.web.setup_routes import tell_reactions

router = APIRouter(prefix="/api/plans", responses=REFUSALS)
Name = Annotated[str, Path(min_length=1, max_length=80, pattern=r"^[^\x00-\x1f\x7f/]+$")]
MAX_PLANS = 500


class PlanText(Exact):
    """A plan as its file has it."""

    text: Annotated[str, Field(max_length=200_000)]


@router.get("")
def list_plans(request: Request) -> list[PlanFile]:
    """The plans kept at this bench, by their names."""
    context = context_of(request)
    with Session(context.engine) as session, session.begin():
        texts = plans(session, context.bench_id(session))
    return [load_plan(text) for text in texts]


@router.put("/{name}")
def keep_plan(request: Request, name: Name, body: RunPlan) -> PlanFile:
    """Keep a plan under a name; an older one of this name is replaced."""
    plan = PlanFile.model_validate({**body.model_dump(), "plan": name.strip() or name})
    _keep(request, plan)
    return plan


@router.post("", status_code=201)
def bring_plan(request: Request, body: PlanText) -> PlanFile:
    """Keep a plan from a file; an older one of its name is replaced."""
    try:
        plan = load_plan(body.text)
    except PlanError as error:
        raise HTTPException(422, str(error)) from error
    _keep(request, plan)
    return plan


@router.get("/{name}/file")
def plan_file(request: Request, name: Name) -> Response:
    """The plan as a file."""
    for plan in list_plans(request):
        if plan.plan == name:
            headers = {"Content-Disposition": f'attachment; filename="{slug(name)}.plan.toml"'}
            return Response(plan_text(plan), media_type="application/toml", headers=headers)
    raise HTTPException(404, f"There is no plan “{name}”.")


@router.delete("/{name}", status_code=204)
def remove_plan(request: Request, name: Name) -> None:
    """Remove a plan. Runs that were begun with it keep theirs."""
    context = context_of(request)
    with Session(context.engine) as session, session.begin():
        if not by_name.remove(session, Plan, context.bench_id(session), name):
            raise HTTPException(404, f"There is no plan “{name}”.")
    from_thread.run(tell_reactions, context)


def _keep(request: Request, plan: PlanFile) -> None:
    context = context_of(request)
    text = plan_text(plan)
    with Session(context.engine) as session, session.begin():
        bench = context.bench_id(session)
        if len(plans(session, bench)) >= MAX_PLANS:
            raise HTTPException(409, f"There are {MAX_PLANS} plans already. Remove one first.")
        by_name.save(session, Plan, bench, plan.plan, text=text, saved_at=time.time_ns() // 1000)
    from_thread.run(tell_reactions, context)  # a procedure of theirs may begin a run from it
