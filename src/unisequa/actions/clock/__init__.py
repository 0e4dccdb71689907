"""What happens by itself: each thing once, by its key, in a transaction of its own."""
