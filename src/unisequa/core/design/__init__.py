"""Editing a template: its outline, rows, fields, links, and what is still to be mended."""
