"""Before the application: takes in a request whole, so that who sends slowly holds nothing but a connection.

The application is WSGI and has a bounded number of threads; a request reaches one of them once it is here. Only files that are
larger than any document go through as they come in, to views that refuse a stranger before they read.
"""

from __future__ import annotations

import asyncio
import json
import threading
from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any

from a2wsgi import WSGIMiddleware

from mavrik.exchange.sheet import load_printer
from mavrik.web.app import from_environment
from mavrik.web.observe import log_to
from mavrik.web.presence import LEFT

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
Application = Callable[[MutableMapping[str, Any], Receive, Send], Awaitable[None]]

THREADS = 32
"""Of a server process: live views of meters, heavy work and who waits for it together take fewer, so that some are always free."""

WHOLE_BYTES = 16_000_000
"""So long a body is taken in before anything begins."""

BODY_S = 30.0
"""From the end of the head to the end of the body."""


class Patient:
    """Takes in bodies for an application, within a time and a size."""

    def __init__(self, application: Application, within_s: float = BODY_S, whole_bytes: int = WHOLE_BYTES) -> None:
        self._application, self._within_s, self._whole_bytes = application, within_s, whole_bytes

    async def __call__(self, scope: MutableMapping[str, Any], receive: Receive, send: Send) -> None:
        """ASGI 3."""
        if scope["type"] != "http":
            return
        headers = {name: value for name, value in scope["headers"] if name in (b"content-length", b"transfer-encoding")}
        length = headers.get(b"content-length", b"0")
        if b"transfer-encoding" in headers:
            await _refuse(send, 411, "Length required", "Say how long the body is.")
        elif not length.isdigit() or int(length) > self._whole_bytes:
            await self._application(scope, receive, send)
        else:
            try:
                async with asyncio.timeout(self._within_s):
                    whole = await _body(receive)
            except TimeoutError:
                await _refuse(send, 408, "Request timeout", f"The body was not here within {self._within_s:g} s.")
                return
            if whole is not None:
                await self._answer(scope, whole, receive, send)

    async def _answer(self, scope: MutableMapping[str, Any], whole: bytes, receive: Receive, send: Send) -> None:
        """Let the application answer, and let it know when nobody waits for that any more."""
        left = threading.Event()
        LEFT.set(left)

        async def watch() -> None:
            # After the body nothing else comes over the line.
            while (await receive())["type"] != "http.disconnect":
                pass
            left.set()

        watching = asyncio.create_task(watch())
        try:
            await self._application(scope, _given(whole), send)
        finally:
            watching.cancel()


async def _body(receive: Receive) -> bytes | None:
    """The body of a request; None where who sent it has gone."""
    parts = []
    while True:
        message = await receive()
        if message["type"] == "http.disconnect":
            return None
        parts.append(message.get("body", b""))
        if not message.get("more_body", False):
            return b"".join(parts)


def _given(whole: bytes) -> Receive:
    """Hands out a body at once, and after that nothing."""
    waiting: list[Message] = [{"type": "http.request", "body": whole, "more_body": False}]

    async def give() -> Message:
        if waiting:
            return waiting.pop()
        return {"type": "http.disconnect"}

    return give


async def _refuse(send: Send, status: int, title: str, detail: str) -> None:
    body = json.dumps({"type": f"urn:mavrik:problem:http-{status}", "title": title, "status": status, "detail": detail}).encode()
    headers = [
        (b"content-type", b"application/problem+json"),
        (b"content-length", str(len(body)).encode()),
        (b"connection", b"close"),
    ]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})


def make() -> Application:
    """Entry for uvicorn: the application with its settings from the environment."""
    log_to()
    # Half a second of a printer's life, before anybody waits for their first print of this process.
    load_printer()
    return Patient(WSGIMiddleware(from_environment(), workers=THREADS))  # type: ignore[arg-type]
