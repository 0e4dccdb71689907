"""Handing work over."""

from unisequa.web.handing import page

ROUTERS = (page.router,)
