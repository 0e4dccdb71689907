"""The pages of a run, and the list of runs."""

from unisequa.web.run import (
    acts,
    adding,
    aside,
    downloads,
    files,
    list,
    page,
    paper,
    shift,
    side,
    views,
    waits,
    ways,
    what_if,
)

ROUTERS = (
    list.router,
    downloads.router,
    paper.router,
    page.router,
    side.router,
    acts.router,
    adding.router,
    files.router,
    shift.router,
    aside.router,
    views.router,
    waits.router,
    ways.router,
    what_if.router,
)
