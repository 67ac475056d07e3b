"""Answers kept for as long as nothing in the database changes: most of what is asked was asked before."""

from __future__ import annotations

import threading
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


@dataclass(frozen=True)
class Answer:
    """An answer, and what of the database it was made from."""

    snapshot: str
    body: bytes
    mimetype: str


class Kept:
    """The answers of one server process; those asked for longest ago go first."""

    def __init__(self, most_bytes: int = MOST_BYTES) -> None:
        self._most_bytes, self._bytes = most_bytes, 0
        self._lock = threading.Lock()
        self._by_question: OrderedDict[str, Answer] = OrderedDict()

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
        if answer := answers.find(question, snapshot):
            return Response(answer.body, mimetype=answer.mimetype)
        g.to_keep = question, snapshot
        return None

    @app.after_request
    def keep(response: Response) -> Response:
        question, snapshot = g.pop("to_keep", ("", ""))
        db: Session | None = g.get("db_session")
        if not question or db is None or response.status_code != 200 or response.is_streamed:
            return response
        body = response.get_data()
        # A snapshot that is the same before and after is what each statement between saw: what has ended does not begin again.
        if len(body) <= LARGEST and snapshot_of(db) == snapshot:
            answers.keep(question, Answer(snapshot, body, response.mimetype or ""))
        return response
