"""Starting a run."""
