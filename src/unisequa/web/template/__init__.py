"""The page on which a template is written."""

from unisequa.web.template import editions, page, panel, pasting, rehearsal

ROUTERS = (
    page.router,
    panel.router,
    pasting.router,
    editions.router,
    rehearsal.router,
)
