"""The geometry of every sheet: a time scale, bars, arrows. Knows no page."""
