"""How much heavy work a server process takes on at once, so that light requests are answered whatever else is asked."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any, TypeVar

from flask import Flask, Response, g, request

from mavrik.core.effort import TooMuchWorkError, allow
from mavrik.web.problems import problem

View = TypeVar("View", bound=Callable[..., Any])

AT_ONCE = 2
"""Solving and printing keep a processor busy: more of them at once only makes each later."""

WAITING = 22
"""With those at work and the live views of meters, fewer than a process has threads (`mavrik.web.front.THREADS`)."""

MOST_WORK = 2_200_000.0
"""Three to five seconds of one processor with what is not counted: reading, checking, drawing, writing. The heaviest question of the ready
layouts takes less than a third of it."""

LONGEST_WAIT_S = 20.0
RETRY_S = 2


class Gate:
    """Room for some at work and some who wait for it."""

    def __init__(self, at_once: int = AT_ONCE, waiting: int = WAITING, longest_wait_s: float = LONGEST_WAIT_S) -> None:
        self._room = threading.Semaphore(at_once)
        self._lock = threading.Lock()
        self._most_waiting, self._longest_wait_s = waiting, longest_wait_s
        self.waiting = 0

    def enter(self) -> bool:
        """Wait for room; whether there was any."""
        if self._room.acquire(blocking=False):
            return True
        with self._lock:
            if self.waiting >= self._most_waiting:
                return False
            self.waiting += 1
        try:
            return self._room.acquire(timeout=self._longest_wait_s)
        finally:
            with self._lock:
                self.waiting -= 1

    def leave(self) -> None:
        """Make room for the next."""
        self._room.release()


def heavy(view: View) -> View:
    """Say that a view solves, judges, prints or takes in a whole job."""
    view.mavrik_heavy = True  # type: ignore[attr-defined]
    return view


def to_the_end(view: View) -> View:
    """Say that a heavy view is not held to a budget of work: what was kept can be judged, looked at and printed, whatever that takes."""
    view.mavrik_to_the_end = True  # type: ignore[attr-defined]
    return view


def install(app: Flask, gate: Gate | None = None) -> None:
    """Let heavy views through a gate; who finds none is asked to come again, and nothing was begun for them."""
    through = app.extensions["mavrik_gate"] = gate or Gate()

    @app.before_request
    def enter() -> Response | None:
        view = app.view_functions.get(request.endpoint or "")
        if not getattr(view, "mavrik_heavy", False):
            return None
        request.get_data()  # Who sends slowly waits outside.
        if not through.enter():
            busy = problem(
                503, "busy", "The server is busy", "It is working on as much as it can. Try again in a moment; nothing was lost."
            )
            busy.headers["Retry-After"] = str(RETRY_S)
            return busy
        g.through_gate = True
        allow(None if getattr(view, "mavrik_to_the_end", False) else MOST_WORK)
        return None

    @app.teardown_request
    def leave(error: BaseException | None) -> None:
        if g.pop("through_gate", False):
            allow(None)
            through.leave()

    @app.errorhandler(TooMuchWorkError)
    def too_much(error: TooMuchWorkError) -> Response:
        return problem(
            422, "too-large", "Too large to be worked out at once",
            "This circuit has more branches, switches and sources than can be worked out while you wait. Leave out what has no part "
            "in this, or draw leads in one run as one lead; nothing was kept of it.",
        )  # fmt: skip
