"""What happens by itself: rules, what is due, what was done."""

from unisequa.web.by_itself import hand_off, page, repeat, texts

ROUTERS = (page.router, repeat.router, hand_off.router, texts.router)
