"""Answers of parties outside, by links of their own."""

from unisequa.web.answers import page

ROUTERS = (page.router,)
