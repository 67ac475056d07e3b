"""Answers kept for as long as nothing in the database changes: most of what is asked was asked before."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from typing import Any, TypeVar

from flask import Flask, Response, g, request
from sqlalchemy.orm import Session

from mavrik.store.database import snapshot_of
from mavrik.web.access import seen_at

View = TypeVar("View", bound=Callable[..., Any])

MOST_BYTES = 16_000_000
LARGEST = 400_000
"""One that is larger is made anew each time."""

WAITS_S = 3.0
"""So long somebody waits for an answer that is being made for another; then it is made for them, too."""


@dataclass(frozen=True)
class Answer:
    """An answer, and what of the database it was made from."""

    snapshot: str
    body: bytes
    mimetype: str
    checked_at: float = 0.0
    """When it was still what would be made, on the clock of the process [s]."""


class Kept:
    """The answers of one server process; those asked for longest ago go first."""

    def __init__(self, most_bytes: int = MOST_BYTES) -> None:
        self._most_bytes, self._bytes = most_bytes, 0
        self._lock = threading.Lock()
        self._by_question: OrderedDict[str, Answer] = OrderedDict()
        self._being_made: dict[str, threading.Event] = {}
        self.waiting = 0

    def __len__(self) -> int:
        return len(self._by_question)

    def find(self, question: str, snapshot: str) -> Answer | None:
        """The answer to a question, if nothing has changed since."""
        with self._lock:
            answer = self._by_question.get(question)
            if answer is None or answer.snapshot != snapshot:
                return None
            self._by_question.move_to_end(question)
            return answer

    def begin(self, question: str, within_s: float) -> Answer | None:
        """Where there is no answer yet: the one that another makes at this moment, once it is there; None for who is to make it.

        within_s: how long to wait for that other. Who gets None calls `end` afterwards, whatever came of it.
        """
        began = time.monotonic()
        with self._lock:
            making = self._being_made.get(question)
            self.waiting += making is not None
        if making is not None:
            making.wait(within_s)
        with self._lock:
            self.waiting -= making is not None
            answer = self._by_question.get(question)
            if answer is not None and answer.checked_at >= began:
                # Of a moment since it was asked: no older than what would be made now.
                return answer
            self._being_made[question] = threading.Event()
            return None

    def end(self, question: str) -> None:
        """Whoever waits for the answer looks again."""
        with self._lock:
            done = self._being_made.pop(question, None)
        if done is not None:
            done.set()

    def keep(self, question: str, answer: Answer) -> None:
        """In the place of what was kept of that question before."""
        with self._lock:
            before = self._by_question.pop(question, None)
            self._bytes += len(answer.body) - (len(before.body) if before else 0)
            self._by_question[question] = answer
            while self._bytes > self._most_bytes:
                self._bytes -= len(self._by_question.popitem(last=False)[1].body)


def kept(view: View) -> View:
    """Say that a view's answer depends on the database, its address and the day alone: whoever asks, it is the same."""
    view.mavrik_kept = True  # type: ignore[attr-defined]
    return view


def install(app: Flask) -> None:
    """Answer marked views from what is kept. To be installed behind access, so that only who may ask is answered."""
    answers = app.extensions["mavrik_kept"] = Kept()

    @app.before_request
    def from_what_is_kept() -> Response | None:
        if request.method != "GET" or not getattr(app.view_functions.get(request.endpoint or ""), "mavrik_kept", False):
            return None
        question = f"{date.today()} {request.full_path}"
        if (snapshot := seen_at()) is None:
            return None
        if answer := answers.find(question, snapshot) or answers.begin(question, WAITS_S):
            return Response(answer.body, mimetype=answer.mimetype)
        g.to_keep = question, snapshot
        return None

    @app.after_request
    def keep(response: Response) -> Response:
        question, snapshot = g.get("to_keep", ("", ""))
        db: Session | None = g.get("db_session")
        if not question or db is None or response.status_code != 200 or response.is_streamed:
            return response
        body = response.get_data()
        # A snapshot that is the same before and after is what each statement between saw: what has ended does not begin again.
        checked_at = time.monotonic()
        if len(body) <= LARGEST and snapshot_of(db) == snapshot:
            answers.keep(question, Answer(snapshot, body, response.mimetype or "", checked_at))
        return response

    @app.teardown_request
    def made(error: BaseException | None) -> None:
        question, _ = g.pop("to_keep", ("", ""))
        if question:
            answers.end(question)
