"""What is asked of the database, by subject: the only SQL there is."""
