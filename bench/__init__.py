"""What `make bench` measures and `make shots` pictures."""
