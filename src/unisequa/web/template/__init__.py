"""The page on which a template is written."""

from unisequa.web.template import editions, page, panel, rehearsal

ROUTERS = (
    page.router,
    panel.router,
    editions.router,
    rehearsal.router,
)
