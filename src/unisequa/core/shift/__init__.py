"""A shift: edits made together, what follows from them, and taking it back."""
