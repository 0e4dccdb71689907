"""Finding from anywhere."""

from unisequa.web.find import page

ROUTERS = (page.router,)
