"""What is due when."""
