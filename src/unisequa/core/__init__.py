"""The computation: calendars, offsets, networks, schedules and cascades.

Nothing in here knows a database, a page or a file; it gets values and gives values back.
"""
