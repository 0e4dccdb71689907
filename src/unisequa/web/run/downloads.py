"""A run's tasks to take along, as a table or as a calendar."""

from __future__ import annotations

from dataclasses import replace

from fastapi import APIRouter
from starlette.responses import Response

from unisequa.actions.runs.seeing import RunSeen, see_run
from unisequa.core.design.editing import slug
from unisequa.core.plan.plan import Plan
from unisequa.formats.icalendar import plan_ics
from unisequa.formats.plan_tables import plan_csv
from unisequa.web.inputs import Id
from unisequa.web.session import SettingsOf, SignedIn, StoreOf

router = APIRouter()


@router.get("/runs/{run_id}/tasks.csv")
def csv(me: SignedIn, store: StoreOf, settings: SettingsOf, run_id: Id) -> Response:
    """The list of tasks as CSV."""
    with store.reading() as session:
        run = see_run(session, me, run_id, settings.day())
    phases = {phase.key: phase.label for phase in run.template.phases}
    text = plan_csv(_with_states(run), who=lambda role: run.member(role).name, phases=phases)
    return _download("\ufeff" + text, "text/csv; charset=utf-8", f"{slug(run.name, fallback='run')}.csv")


@router.get("/runs/{run_id}/tasks.ics")
def ics(me: SignedIn, store: StoreOf, settings: SettingsOf, run_id: Id) -> Response:
    """The tasks as iCalendar to-dos."""
    with store.reading() as session:
        run = see_run(session, me, run_id, settings.day())
    content = plan_ics(_with_states(run), identity=f"run-{run.id}", notes=lambda key: run.task(key).instructions)
    return _download(content.decode(), "text/calendar; charset=utf-8", f"{slug(run.name, fallback='run')}.ics")


def _with_states(run: RunSeen) -> Plan:
    """The plan with every task in the state that people see."""
    plan = run.plan
    return replace(plan, tasks=tuple(map(lambda t, s: replace(t, state=s), plan.tasks, run.ready.states)))


def _download(text: str, kind: str, name: str) -> Response:
    return Response(text, media_type=kind, headers={"content-disposition": f'attachment; filename="{name}"'})
