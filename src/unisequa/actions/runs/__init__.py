"""What people do with runs: start them, work in them, shift them, see them."""
