"""Starting a run."""

from unisequa.web.start import page

ROUTERS = (page.router,)
