"""Other programs: tokens by which they act as somebody, answers given once, records that they own."""
