"""The pages of a run, and the list of runs."""

from unisequa.web.run import acts, adding, downloads, list, page, shift, side

ROUTERS = (
    list.router,
    downloads.router,
    page.router,
    side.router,
    acts.router,
    adding.router,
    shift.router,
)
