"""What the states of tasks and runs mean, and what follows from what."""
