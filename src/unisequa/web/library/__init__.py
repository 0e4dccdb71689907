"""The library, and what comes into it."""

from unisequa.web.library import importing, page, run_as_template

ROUTERS = (
    importing.router,
    run_as_template.router,
    page.router,
)
