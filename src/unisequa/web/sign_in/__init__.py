"""Signing in and out."""

from unisequa.web.sign_in import page

ROUTERS = (page.router,)
