"""Starting runs: chosen, rehearsed and looked at, then created together or not at all."""
