"""Texts of messages that are kept once: all of them, and one to be written."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from fastapi import APIRouter, Request
from starlette.datastructures import FormData
from starlette.responses import RedirectResponse, Response

from unisequa.actions.messages.texts import TextDraft, TextSeen, keep_text, remove_text, see_text, see_texts
from unisequa.core.errors import Refused
from unisequa.core.terms import number_in
from unisequa.web.errors import form_again
from unisequa.web.inputs import Id
from unisequa.web.pages import render
from unisequa.web.session import Posted, SignedIn, StoreOf
from unisequa.web.session import field as text_field

router = APIRouter()


@dataclass(frozen=True, slots=True)
class TextsPage:
    """All texts; ``id`` is the one being written, 0 a new one."""

    section: str
    texts: tuple[TextSeen, ...]
    id: int
    draft: TextDraft
    may: bool
    faults: Mapping[str, str] = field(default_factory=dict)


@router.get("/by-itself/texts")
def texts(request: Request, me: SignedIn, store: StoreOf) -> Response:
    """All of them, with the form for a new one."""
    with store.reading() as session:
        page = TextsPage("by-itself", see_texts(session, me), 0, TextDraft("", "", ""), True)
    return render(request, "by_itself/texts.html", page)


@router.get("/by-itself/texts/{number}")
def one_text(request: Request, me: SignedIn, store: StoreOf, number: Id) -> Response:
    """One of them to be changed, or read."""
    with store.reading() as session:
        seen = see_text(session, me, number)
        draft = TextDraft(seen.name, seen.subject, seen.text, seen.version)
        page = TextsPage("by-itself", see_texts(session, me), number, draft, seen.may_change)
    return render(request, "by_itself/texts.html", page)


@router.post("/by-itself/texts")
def new_text(request: Request, me: SignedIn, form: Posted, store: StoreOf) -> Response:
    """Keep a new one."""
    return _kept(request, me, form, store, 0)


@router.post("/by-itself/texts/{number}")
def change_text(request: Request, me: SignedIn, form: Posted, store: StoreOf, number: Id) -> Response:
    """Have one say something else."""
    return _kept(request, me, form, store, number)


def _kept(request: Request, me: SignedIn, form: FormData, store: StoreOf, number: int) -> Response:
    draft = TextDraft(
        text_field(form, "name", 300), text_field(form, "subject", 300),
        text_field(form, "text", 20_000).replace("\r\n", "\n"), number_in(text_field(form, "version", 10)),
    )  # fmt: skip
    try:
        with store.writing() as session:
            keep_text(session, me, number or None, draft)
    except Refused as error:
        with store.reading() as session:
            page = TextsPage("by-itself", see_texts(session, me), number, draft, True, error.faults)
        return form_again(request, "by_itself/texts.html", page, error.faults)
    return RedirectResponse("/by-itself/texts", status_code=303)


@router.post("/by-itself/texts/{number}/delete")
def delete_text(me: SignedIn, form: Posted, store: StoreOf, number: Id) -> Response:
    """Take one away."""
    with store.writing() as session:
        remove_text(session, me, number)
    return RedirectResponse("/by-itself/texts", status_code=303)
