"""The page on which a template is written."""
