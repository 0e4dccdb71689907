"""Unisequa: task templates, runs, and shifts seen before they happen."""
