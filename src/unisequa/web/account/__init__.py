"""One's own account."""

from unisequa.web.account import page, second_factor

ROUTERS = (page.router, second_factor.router)
