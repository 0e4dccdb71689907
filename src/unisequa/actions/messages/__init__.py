"""What people are told: in which lines, how each of them wants it, what leaves together, what is in a bell."""
