"""Webhooks: other programs told what happens, signed, never inside."""
