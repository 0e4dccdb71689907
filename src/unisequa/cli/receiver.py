"""``unisequa receiver``: what webhooks and short text messages bring, for trying."""

from __future__ import annotations

import json
import sys
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Annotated

import typer

from unisequa.cli.app import app
from unisequa.cli.serve import Port

LARGEST = 1024 * 1024
OLD = 300
"""Seconds after which a signed message counts no more."""


@app.command()
def receiver(
    port: Port = 8099,
    secret: Annotated[str, typer.Option(help="what webhooks are signed with: whsec_…")] = "",
) -> None:
    """Print what webhooks and short text messages bring, on loopback; with a secret, signatures are checked."""
    from unisequa.actions.webhooks.signing import signature

    class Receiver(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            length = min(int(self.headers.get("content-length") or 0), LARGEST)
            body = self.rfile.read(length).decode(errors="replace")
            said, status = self._looked_at(body)
            print(json.dumps({"path": self.path, "id": self.headers.get("webhook-id"), "signature": said,
                              "body": _as_json(body)}, ensure_ascii=False), flush=True)  # fmt: skip
            self.send_response(status)
            self.send_header("content-length", "0")
            self.end_headers()

        def _looked_at(self, body: str) -> tuple[str, int]:
            message_id, at = self.headers.get("webhook-id"), self.headers.get("webhook-timestamp") or ""
            if message_id is None:
                return "none", 202
            if not secret:
                return "not checked", 202
            good = at.isdigit() and abs(time.time() - int(at)) < OLD
            good = (
                good
                and signature(secret, message_id, int(at), body) in self.headers.get("webhook-signature", "").split()
            )
            return ("good", 202) if good else ("bad", 401)

        def log_message(self, format: str, *args: object) -> None:
            pass

    print(f"Listening on http://127.0.0.1:{port}", file=sys.stderr, flush=True)
    ThreadingHTTPServer(("127.0.0.1", port), Receiver).serve_forever()


def _as_json(text: str) -> object:
    try:
        return json.loads(text)
    except ValueError:
        return text
