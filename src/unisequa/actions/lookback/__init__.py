"""What people do with what has happened: a template made from a run."""
