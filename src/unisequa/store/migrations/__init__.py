"""The tables' history: one module a change, run in order."""
