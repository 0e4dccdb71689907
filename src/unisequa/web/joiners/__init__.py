"""Joiners and leavers, the records of subjects, and dates that several runs hold."""

from unisequa.web.joiners import moving, page, record

ROUTERS = (page.router, record.router, moving.router)
