"""A step's fields as people type and read them: one entry each, for sheet, panel, tables and words."""
