"""What runs that have happened can teach."""
