"""What administrators look after."""
