"""Webhooks on their page: made, switched, ended, what each was told."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter, Request
from starlette.responses import RedirectResponse, Response

from unisequa.actions.webhooks.hooks import (
    Delivery,
    WebhookSeen,
    deliveries,
    end_webhook,
    make_webhook,
    switch_webhook,
    tell_again,
)
from unisequa.core.errors import Refused
from unisequa.core.terms import number_in
from unisequa.web.api.page import programs_page
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id
from unisequa.web.pages import render
from unisequa.web.session import Posted, SettingsOf, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()


@dataclass(frozen=True, slots=True)
class DeliveriesPage:
    """What a webhook was told."""

    section: str
    hook: WebhookSeen
    told: tuple[Delivery, ...]


@router.post("/account/webhooks")
def make(request: Request, me: SignedIn, form: Posted, store: StoreOf, settings: SettingsOf) -> Response:
    """A new webhook, its secret shown once."""
    typed = {"webhook": text_field(form, "webhook", 200), "url": text_field(form, "url", 1100)}
    events = [str(value)[:40] for value in form.getlist("event")]
    try:
        with store.writing() as session:
            secret = make_webhook(session, me, typed["webhook"], typed["url"], events)
    except Refused as error:
        page = programs_page(me, store, settings.day(), typed=typed, faults=error.faults)
        return form_again(request, "api/tokens.html", page, error.faults)
    return render(request, "api/tokens.html", programs_page(me, store, settings.day(), hook_made=secret))


@router.get("/account/webhooks/{number}")
def seen(request: Request, me: SignedIn, store: StoreOf, number: Id) -> Response:
    """What a webhook was told, and is to be."""
    with store.reading() as session:
        hook, told = deliveries(session, me, number)
    return render(request, "api/deliveries.html", DeliveriesPage("", hook, told))


@router.post("/account/webhooks/{number}/{what}")
def change(me: SignedIn, form: Posted, store: StoreOf, number: Id, what: str) -> Response:
    """Switch a webhook on or off, end it, or send something again."""
    with store.writing() as session:
        if what == "end":
            end_webhook(session, me, number)
            return RedirectResponse("/account/programs", status_code=303)
        if what == "again":
            tell_again(session, me, number, number_in(text_field(form, "delivery", 12)))
        else:
            switch_webhook(session, me, number, on=what == "on")
    return RedirectResponse(f"/account/webhooks/{number}", status_code=303)
