"""Served below a path of another site: what comes in loses that path, what goes out gets it."""

from __future__ import annotations

import re

from starlette.types import ASGIApp, Message, Receive, Scope, Send

_OURS = re.compile(
    r'(\s(?:href|src|action|formaction|hx-get|hx-post|data-path|data-run|data-act|data-boxes|data-comment|data-propose-for|data-files|data-panel|data-unfile|data-ways|data-mends|data-from|data-icons|data-root)=")/(?!/)'
)
_SENT_ON = {b"location", b"hx-redirect"}


def below(html: str, root: str) -> str:
    """A page with the addresses in it below a path. Attributes are quoted in all our pages, and what people wrote is
    escaped, so that nothing else looks like one."""
    return _OURS.sub(rf"\g<1>{root}/", html) if root else html


class Below:
    """Serves an application below ``root`` whether the proxy before it takes that off or not."""

    def __init__(self, app: ASGIApp, root: str) -> None:
        self.app, self.root = app, root

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """One request."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        path = scope["path"]
        if path == self.root or path.startswith(f"{self.root}/"):
            rest = path.removeprefix(self.root) or "/"
            raw = scope.get("raw_path") or path.encode()
            scope = {**scope, "path": rest, "raw_path": raw.removeprefix(self.root.encode()) or b"/"}

        async def sent(message: Message) -> None:
            if message["type"] == "http.response.start":
                message["headers"] = [
                    (name, self.root.encode() + value)
                    if name in _SENT_ON and value.startswith(b"/") and not value.startswith(b"//")
                    else (name, value)
                    for name, value in message["headers"]
                ]
            await send(message)

        await self.app(scope, receive, sent)
