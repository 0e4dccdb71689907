"""Messages: the outbox, one's own bell, and how one wants to be told."""

from unisequa.web.outbox import bell, page

ROUTERS = (page.router, bell.router)
