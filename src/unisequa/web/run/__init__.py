"""The pages of a run, and the list of runs."""
