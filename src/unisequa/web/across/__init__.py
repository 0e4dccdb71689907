"""Seeing across runs: the horizon, and shifts begun there."""

from unisequa.web.across import consider, horizon, leave, load, overview, paper, waiting

ROUTERS = (horizon.router, load.router, leave.router, overview.router, paper.router, consider.router, waiting.router)
