"""The page that makes a template of a run."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Query, Request
from pydantic import Field
from starlette.responses import RedirectResponse, Response

from unisequa.actions.lookback import run_as_template as actions
from unisequa.core.lookback.from_run import Became
from unisequa.web.inputs import Id
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf, field

router = APIRouter()
Only = Annotated[list[Annotated[str, Field(max_length=200)]], Query(max_length=500)]


@dataclass(frozen=True, slots=True)
class FromRunPage:
    """What would come of a run, step by step."""

    section: str
    run_id: int
    run: str
    template: str
    template_id: int
    may_edit: bool
    name: str
    lines: tuple[Became, ...]
    changed: int
    dropped: int
    keep_dropped: bool
    only: tuple[str, ...]


@router.get("/runs/{run_id}/template")
def look(
    request: Request,
    me: SignedIn,
    store: StoreOf,
    settings: SettingsOf,
    run_id: Id,
    dropped: str = "",
    only: Only = [],  # noqa: B006
) -> Response:
    """Every step with its offset as it was and as it becomes; ``only`` names the tasks that it is made of."""
    with store.reading() as session:
        drawn_up = actions.drawn(session, me, run_id, settings.day(), keep_dropped=dropped == "keep", only=only)
    page = FromRunPage(
        "runs",
        run_id,
        drawn_up.run,
        drawn_up.template_name,
        drawn_up.template_id,
        drawn_up.may_edit and not only,
        f"{drawn_up.run}, {'a part' if only else 'as it went'}",
        drawn_up.lines,
        sum(not line.same for line in drawn_up.lines),
        sum("was dropped" in line.note for line in drawn_up.lines),
        dropped == "keep",
        tuple(only),
    )
    return render(request, "library/run_as_template.html", page)


@router.post("/runs/{run_id}/template")
def make(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, run_id: Id) -> Response:
    """Make it."""
    with store.writing() as session:
        where = actions.make(
            session,
            me,
            run_id,
            settings.day(),
            keep_dropped=field(form, "dropped", 10) == "keep",
            name=field(form, "name", 300),
            into=field(form, "into", 10) == "draft",
            only=[str(key)[:200] for key in form.getlist("only")],
        )
    return RedirectResponse(f"/templates/{where}", status_code=303)
