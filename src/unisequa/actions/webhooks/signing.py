"""Webhooks signed as Standard Webhooks says: HMAC-SHA256 over id, timestamp and body (github.com/standard-webhooks)."""

from __future__ import annotations

import base64
import hashlib
import hmac
import secrets

BEGINS = "whsec_"


def new_secret() -> str:
    """A secret to sign with."""
    return BEGINS + base64.b64encode(secrets.token_bytes(24)).decode()


def signature(secret: str, message_id: str, timestamp: int, body: str) -> str:
    """The signature of a message: ``v1,`` and its HMAC in base 64.

    >>> secret = "whsec_" + base64.b64encode(b"k" * 24).decode()
    >>> signature(secret, "msg_1", 1700000000, "{}")[:3]
    'v1,'
    """
    key = base64.b64decode(secret.removeprefix(BEGINS))
    made = hmac.new(key, f"{message_id}.{timestamp}.{body}".encode(), hashlib.sha256).digest()
    return "v1," + base64.b64encode(made).decode()
