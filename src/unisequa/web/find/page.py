"""What is found while somebody types, and a page of it where there is no script."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter, Request
from starlette.responses import Response

from unisequa.actions.finding import Found, find
from unisequa.web.pages import render
from unisequa.web.session import SignedIn, StoreOf

router = APIRouter()


@dataclass(frozen=True, slots=True)
class FindPage:
    """What was looked for, and what was found."""

    section: str
    text: str
    found: tuple[Found, ...]


@router.get("/find")
def find_page(request: Request, me: SignedIn, store: StoreOf, q: str = "") -> Response:
    """All whose name holds what was typed; only the list for a script."""
    with store.reading() as session:
        page = FindPage("", q.strip()[:100], find(session, me, q))
    piece = request.headers.get("hx-request") == "true"
    return render(request, "find/_list.html" if piece else "find/page.html", page)
