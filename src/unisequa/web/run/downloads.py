"""A run's tasks to take along, as a table or as a calendar."""

from __future__ import annotations

from fastapi import APIRouter
from starlette.responses import Response

from unisequa.actions.programs.feeds import addresses_of, changed_at
from unisequa.actions.runs.seeing import see_run
from unisequa.core.design.editing import slug
from unisequa.formats.icalendar import calendar_ics
from unisequa.formats.plan_tables import plan_csv
from unisequa.web.calendar_parts import part_of, with_states
from unisequa.web.inputs import Id
from unisequa.web.session import SettingsOf, SignedIn, StoreOf

router = APIRouter()


@router.get("/runs/{run_id}/tasks.csv")
def csv(me: SignedIn, store: StoreOf, settings: SettingsOf, run_id: Id) -> Response:
    """The list of tasks as CSV."""
    with store.reading() as session:
        run = see_run(session, me, run_id, settings.day())
    phases = {phase.key: phase.label for phase in run.template.phases}
    text = plan_csv(with_states(run), who=lambda role: run.member(role).name, phases=phases)
    return _download("\ufeff" + text, "text/csv; charset=utf-8", f"{slug(run.name, fallback='run')}.csv")


@router.get("/runs/{run_id}/tasks.ics")
def ics(me: SignedIn, store: StoreOf, settings: SettingsOf, run_id: Id) -> Response:
    """The tasks as iCalendar to-dos."""
    with store.reading() as session:
        run = see_run(session, me, run_id, settings.day())
        addresses, changed = addresses_of(session, [run]), changed_at(session, [run])
    content = calendar_ics(run.name, [part_of(run, settings, addresses, changed.get(run.id))])
    return _download(content.decode(), "text/calendar; charset=utf-8", f"{slug(run.name, fallback='run')}.ics")


def _download(text: str, kind: str, name: str) -> Response:
    return Response(text, media_type=kind, headers={"content-disposition": f'attachment; filename="{name}"'})
