"""Documents and tables, in and out."""
