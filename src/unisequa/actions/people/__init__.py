"""People and how they sign in."""
