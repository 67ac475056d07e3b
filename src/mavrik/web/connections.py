"""Connections on which a request's head has to come within a time and a size; what uvicorn itself leaves open."""

from __future__ import annotations

import asyncio
from typing import Any

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

HEAD_S = 15.0
"""From the connection, or the first byte of a further request, to the end of its head."""

MOST_HEAD_BYTES = 64 * 1024
REFUSED = b"HTTP/1.1 431 Request Header Fields Too Large\r\nContent-Length: 0\r\nConnection: close\r\n\r\n"


class Bounded(HttpToolsProtocol):
    """uvicorn's protocol, which waits for a head without end."""

    head_s = HEAD_S

    def __init__(self, *of: Any, **more: Any) -> None:
        """As uvicorn makes it."""
        super().__init__(*of, **more)
        self._late: asyncio.TimerHandle | None = None
        self._head_bytes = 0

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        """A head is waited for from here on."""
        super().connection_made(transport)
        self._await_head()

    def data_received(self, data: bytes) -> None:
        """Some of a head, or of a body, which others count."""
        self._head_bytes += len(data)
        super().data_received(data)
        if self._late is not None and self._head_bytes > MOST_HEAD_BYTES and not self.transport.is_closing():
            self.transport.write(REFUSED)
            self.transport.close()

    def on_message_begin(self) -> None:
        """On a connection that is kept, the next head has begun."""
        super().on_message_begin()
        if self._late is None:
            self._await_head()

    def on_headers_complete(self) -> None:
        """It is here."""
        self._head_is_here()
        super().on_headers_complete()

    def connection_lost(self, exc: Exception | None) -> None:
        """It never will be."""
        self._head_is_here()
        super().connection_lost(exc)

    def _await_head(self) -> None:
        self._head_bytes = 0
        self._late = self.loop.call_later(self.head_s, self.transport.close)

    def _head_is_here(self) -> None:
        if self._late is not None:
            self._late.cancel()
            self._late = None
