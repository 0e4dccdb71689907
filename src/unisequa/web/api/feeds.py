"""Feeds: calendars at secret addresses, kept by what is in them and the day; and where they are made."""

from __future__ import annotations

import hashlib
from contextlib import suppress
from typing import Annotated

from fastapi import APIRouter, Header, Path, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.programs.feeds import (
    Feed,
    addresses_of,
    asked_for,
    changed_at,
    feed_at,
    kept,
    make_feed,
    renew_feed,
    runs_of_feed,
    shut_feed,
)
from unisequa.core.errors import Busy, NotThere, Refused, Unwell
from unisequa.core.terms import number_in
from unisequa.formats.icalendar import Part, Wanted, calendar_ics
from unisequa.settings import Settings
from unisequa.store.store import Session
from unisequa.web.api.page import programs_page
from unisequa.web.calendar_parts import part_of
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()


@router.get("/feeds/{secret}.ics")
def feed(
    store: StoreOf,
    settings: SettingsOf,
    secret: Annotated[str, Path(max_length=200)],
    if_none_match: Annotated[str | None, Header(max_length=500)] = None,
) -> Response:
    """The calendar at an address."""
    today = settings.day()
    with store.reading() as session:
        try:
            found = feed_at(session, secret)
        except NotThere:
            return Response("There is no feed at this address.\n", 404, media_type="text/plain")
        said = repr((found.id, found.name, found.events, found.anchors, found.versions, today, settings.address))
        etag = f'"{hashlib.sha256(said.encode()).hexdigest()[:32]}"'
        headers = {"etag": etag, "cache-control": "private, max-age=300"}
        if if_none_match is not None and etag in {one.strip().removeprefix("W/") for one in if_none_match.split(",")}:
            return Response(status_code=304, headers=headers)
        content = kept(etag, lambda: _content(session, found, settings))
    if found.unseen:
        with suppress(Busy, Unwell), store.writing() as session:
            asked_for(session, found.id)
    return Response(content, media_type="text/calendar; charset=utf-8", headers=headers)


def _content(session: Session, found: Feed, settings: Settings) -> bytes:
    runs = runs_of_feed(session, found, settings.day())
    addresses, changed = addresses_of(session, runs), changed_at(session, runs)
    parts: list[Part] = []
    for run in runs:
        only = None
        if found.kind == "person":
            only = frozenset(key for key, task in run.tasks.items() if task.person_id == found.person.id)
        parts.append(part_of(run, settings, addresses, changed.get(run.id), only))
    return calendar_ics(found.name, parts, wanted=Wanted(found.events, found.anchors))


@router.post("/account/feeds")
def make(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf) -> Response:
    """A new feed, its address shown once."""
    kind, about = text_field(form, "kind", 10), number_in(text_field(form, "about", 12)) or None
    events, anchors = text_field(form, "events", 5) == "yes", text_field(form, "anchors", 5) == "yes"
    try:
        with store.writing() as session:
            secret = make_feed(session, me, kind, about, settings.day(), events=events, anchors=anchors)
    except Refused as error:
        page = programs_page(me, store, settings.day(), faults=error.faults)
        return form_again(request, "api/tokens.html", page, error.faults)
    return _shown(request, me, store, settings, secret)


@router.post("/account/feeds/{number}/renew")
def renew(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf, number: Id) -> Response:
    """Another address for a feed."""
    with store.writing() as session:
        secret = renew_feed(session, me, number)
    return _shown(request, me, store, settings, secret)


def _shown(request: Request, me: SignedIn, store: StoreOf, settings: SettingsOf, secret: str) -> Response:
    where = (settings.address or str(request.base_url)).rstrip("/")
    page = programs_page(me, store, settings.day(), feed_made=f"{where}/feeds/{secret}.ics")
    return render(request, "api/tokens.html", page)


@router.post("/account/feeds/{number}/shut")
def shut(me: SignedIn, form: Posted, store: StoreOf, number: Id) -> Response:
    """Have a feed lead nowhere any more."""
    with store.writing() as session:
        shut_feed(session, me, number)
    return RedirectResponse("/account/programs", status_code=303)
