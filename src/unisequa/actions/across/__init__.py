"""Seeing across runs: the horizon, people and load, the overview."""
