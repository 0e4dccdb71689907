"""The open documents as Pydantic models, their checks, and what is read out of them."""
