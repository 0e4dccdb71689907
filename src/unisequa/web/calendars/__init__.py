"""Working calendars."""

from unisequa.web.calendars.page import router

ROUTERS = (router,)
