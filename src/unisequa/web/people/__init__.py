"""People, teams and positions."""

from unisequa.web.people import page, teams

ROUTERS = (page.router, teams.router)
