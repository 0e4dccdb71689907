"""A small OpenID Connect provider on loopback, for tests: it signs in whoever it is told to, without asking."""

from __future__ import annotations

import base64
import hashlib
import json
import secrets
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlencode, urlsplit

from joserfc import jwt
from joserfc.jwk import RSAKey


class Provider:
    """``claims`` is who signs in, ``spoil`` may change what is signed, ``key`` by what; PKCE is held."""

    def __init__(self) -> None:
        self.key = RSAKey.generate_key(2048, {"kid": "one", "use": "sig"})
        self.published = [self.key.as_dict(private=False)]
        self.claims: dict[str, Any] = {}
        self.spoil: dict[str, Any] = {}
        self.issuer = ""
        self.codes: dict[str, dict[str, str]] = {}

    def answer(self, path: str, query: dict[str, str]) -> tuple[int, dict[str, Any] | str]:
        """What a request gets: a status and JSON, or the address that it is sent on to."""
        if path == "/.well-known/openid-configuration":
            return 200, {
                "issuer": self.issuer,
                "authorization_endpoint": f"{self.issuer}/authorize",
                "token_endpoint": f"{self.issuer}/token",
                "jwks_uri": f"{self.issuer}/keys",
                "id_token_signing_alg_values_supported": ["RS256"],
                "code_challenge_methods_supported": ["S256"],
            }
        if path == "/keys":
            return 200, {"keys": self.published}
        if path == "/authorize":
            code = secrets.token_urlsafe(16)
            self.codes[code] = query
            return 303, f"{query['redirect_uri']}?{urlencode({'code': code, 'state': query['state']})}"
        asked = self.codes.pop(query.get("code", ""), None)
        digest = hashlib.sha256(query.get("code_verifier", "").encode()).digest()
        challenge = base64.urlsafe_b64encode(digest).rstrip(b"=").decode()
        if asked is None or asked["code_challenge"] != challenge or asked["redirect_uri"] != query["redirect_uri"]:
            return 400, {"error": "invalid_grant"}
        now = int(time.time())
        said = {"iss": self.issuer, "aud": asked["client_id"], "iat": now, "exp": now + 60, "nonce": asked["nonce"]}
        signed = jwt.encode({"alg": "RS256", "kid": "one"}, {**said, **self.claims, **self.spoil}, self.key)
        return 200, {"access_token": "any", "token_type": "Bearer", "expires_in": 60, "id_token": signed}


@contextmanager
def provider() -> Iterator[Provider]:
    """A provider that runs."""
    made = Provider()

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            self.tell({})

        def do_POST(self) -> None:
            self.tell(dict(pair(self.rfile.read(int(self.headers["content-length"])).decode())))

        def tell(self, sent: dict[str, str]) -> None:
            where = urlsplit(self.path)
            status, told = made.answer(where.path, {**dict(pair(where.query)), **sent})
            body = b"" if isinstance(told, str) else json.dumps(told).encode()
            self.send_response(status)
            self.send_header("content-type", "application/json")
            if isinstance(told, str):
                self.send_header("location", told)
            self.send_header("content-length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, *_: object) -> None:
            pass

    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    made.issuer = f"http://127.0.0.1:{server.server_port}"
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    try:
        yield made
    finally:
        server.shutdown()
        server.server_close()


def pair(text: str) -> list[tuple[str, str]]:
    return [(name, values[0]) for name, values in parse_qs(text).items()]
