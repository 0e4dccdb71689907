"""How long a client is waited for: for its headers, for its body, and until it takes an answer."""

from __future__ import annotations

import asyncio

from starlette.types import ASGIApp, Message, Receive, Scope, Send
from uvicorn.protocols.http.h11_impl import H11Protocol

HEADERS_WITHIN = 15.0
"""Seconds from the first moment of a connection, or the first byte of another request on it, to the end of its
headers."""
PIECE_WITHIN, BODY_WITHIN = 20.0, 180.0
"""Seconds until the next piece of a body, and until the whole of it."""
TAKEN_WITHIN = 60.0
"""Seconds until a piece of an answer is taken."""


class Patient(H11Protocol):
    """Ends a connection whose headers take too long, so that those who say nothing keep no one out."""

    _ends: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._wait()

    def data_received(self, data: bytes) -> None:
        if self._ends is None and not self._answering():
            self._wait()
        super().data_received(data)
        if self._answering():
            self._be_calm()

    def connection_lost(self, exc: Exception | None) -> None:
        self._be_calm()
        super().connection_lost(exc)

    def _answering(self) -> bool:
        return self.cycle is not None and not self.cycle.response_complete

    def _wait(self) -> None:
        self._ends = self.loop.call_later(HEADERS_WITHIN, self._give_up)

    def _be_calm(self) -> None:
        if self._ends is not None:
            self._ends.cancel()
            self._ends = None

    def _give_up(self) -> None:
        if not self._answering():
            self.transport.close()


class Timely:
    """Refuses a body that comes too slowly, and drops an answer that nobody takes."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """One request. To what is inside, a client that is not waited for any longer has gone."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        loop = asyncio.get_running_loop()
        ends, whole, late = loop.time() + BODY_WITHIN, False, False

        async def received() -> Message:
            nonlocal whole, late
            if whole:  # what comes now is only that the client has gone
                return await receive()
            try:
                message = await asyncio.wait_for(receive(), min(PIECE_WITHIN, max(ends - loop.time(), 0)))
            except TimeoutError:
                late = True
                return {"type": "http.disconnect"}
            whole = not message.get("more_body", False)
            return message

        async def sent(message: Message) -> None:
            if not late:
                await asyncio.wait_for(send(message), TAKEN_WITHIN)

        try:
            await self.app(scope, received, sent)
        except Exception:
            if not late:
                raise
        if late:
            headers = [(b"content-type", b"text/plain; charset=utf-8"), (b"connection", b"close")]
            await send({"type": "http.response.start", "status": 408, "headers": headers})
            await send({"type": "http.response.body", "body": b"What was sent came too slowly; nothing was changed.\n"})
