"""The desk: somebody's own page, and the first after signing in."""

from unisequa.web.desk import acts, page

ROUTERS = (page.router, acts.router)
