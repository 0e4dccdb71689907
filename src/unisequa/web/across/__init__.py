"""Seeing across runs: the horizon, and shifts begun there."""

from unisequa.web.across import consider, horizon, leave, load, overview

ROUTERS = (horizon.router, load.router, leave.router, overview.router, consider.router)
