"""Signing in and out."""

from unisequa.web.sign_in import page, reset

ROUTERS = (page.router, reset.router)
