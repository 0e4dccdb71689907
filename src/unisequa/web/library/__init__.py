"""The library, and what comes into it."""
