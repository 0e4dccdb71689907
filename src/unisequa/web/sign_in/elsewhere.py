"""Signing in by the house's own sign-in elsewhere: OpenID Connect, by the authorization code flow with PKCE."""

from __future__ import annotations

from urllib.parse import urlsplit

from authlib.integrations.base_client.errors import OAuthError
from authlib.integrations.starlette_client import OAuth
from fastapi import APIRouter, FastAPI, Request
from httpx2 import HTTPError
from joserfc.errors import JoseError
from starlette.concurrency import run_in_threadpool
from starlette.middleware.sessions import SessionMiddleware
from starlette.responses import Response

from unisequa.actions.people.identities import Claims, sign_in_as
from unisequa.core.errors import Refused
from unisequa.web.session import SettingsOf, StoreOf, source_of
from unisequa.web.sign_in.door import opened, within

router = APIRouter()
BACK = "/sign-in/elsewhere/back"
FAILED = "Signing in there did not work: {}. Try again, or sign in with your password."


def connect(app: FastAPI) -> None:
    """Have an application sign people in elsewhere, as its settings say."""
    settings, sessions = app.state.settings, app.state.sessions
    clients = OAuth()
    clients.register(
        "elsewhere",
        client_id=settings.oidc_client_id,
        client_secret=settings.oidc_client_secret or None,
        server_metadata_url=f"{settings.oidc_issuer.rstrip('/')}/.well-known/openid-configuration",
        client_kwargs={"scope": "openid email profile", "code_challenge_method": "S256", "timeout": 10},
    )
    app.state.elsewhere = clients.elsewhere
    app.add_middleware(
        SessionMiddleware,
        secret_key=sessions.key,
        session_cookie="unisequa_elsewhere",
        max_age=600,
        same_site="lax",
        https_only=settings.secure(urlsplit(settings.address).scheme),
    )
    app.include_router(router)


@router.get("/sign-in/elsewhere")
async def leave(request: Request, settings: SettingsOf, back: str = "") -> Response:
    """The way there; state, nonce and verifier wait in a cookie of their own."""
    here = settings.address.rstrip("/") or str(request.base_url).rstrip("/") + settings.root_path
    request.session["back"] = within(back)
    try:
        answer: Response = await request.app.state.elsewhere.authorize_redirect(request, here + BACK)
    except (OAuthError, HTTPError, KeyError, ValueError):
        raise Refused({"": FAILED.format("it does not answer")}) from None
    return answer


@router.get(BACK)
async def come_back(request: Request, settings: SettingsOf, store: StoreOf) -> Response:
    """The way back: the code is changed for a signed statement of who somebody is."""
    back = within(str(request.session.get("back", "")))
    try:
        token = await request.app.state.elsewhere.authorize_access_token(request)
    except OAuthError as error:
        begun = error.error != "mismatching_state"
        words = "it was refused there" if begun else "it was not begun here, or too long ago"
        raise Refused({"": FAILED.format(words)}) from None
    except (HTTPError, JoseError, KeyError, ValueError):
        raise Refused({"": FAILED.format("what it said cannot be trusted")}) from None
    finally:
        request.session.clear()
    told = token.get("userinfo") or {}
    if not told.get("sub"):
        raise Refused({"": FAILED.format("it did not say who you are")})
    claims = Claims(
        settings.oidc_issuer, str(told["sub"])[:255], str(told.get("email") or ""), told.get("email_verified") is True
    )
    name = await run_in_threadpool(sign_in_as, store, claims, source_of(request))
    return opened(request, name, back)
