"""Quillhaven Museums: a made-up group of three small museums, to try everything on."""
