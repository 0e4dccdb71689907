"""Seeing across runs: the horizon, and shifts begun there."""

from unisequa.web.across import consider, horizon, load

ROUTERS = (horizon.router, load.router, consider.router)
