"""``/api/v1`` for other programs, and the page on which people read of it and make tokens."""

from unisequa.web.api import feeds, hooking, page

ROUTERS = (page.router, feeds.router, hooking.router)
