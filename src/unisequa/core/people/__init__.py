"""People and how much is asked of them."""
