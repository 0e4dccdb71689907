"""What happens by itself: rules, what is due, what was done."""

from unisequa.web.by_itself import page, repeat

ROUTERS = (page.router, repeat.router)
