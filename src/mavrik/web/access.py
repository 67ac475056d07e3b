"""Who may reach a route. Every route is closed unless it says otherwise."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from typing import Any, TypeVar, cast
from urllib.parse import urlsplit

from flask import Flask, Response, current_app, g, request
from flask_login import LoginManager, current_user
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from mavrik.domain.roles import IN_WORDS, Permission, Who
from mavrik.jobs import sessions
from mavrik.store.database import Database
from mavrik.web.problems import database_away, problem

View = TypeVar("View", bound=Callable[..., Any])
PUBLIC = "public"


class SignedIn:
    """Flask-Login's view of a person."""

    is_authenticated = True
    is_active = True
    is_anonymous = False

    def __init__(self, who: Who, key: str, snapshot: str) -> None:
        self.who, self.key, self.snapshot = who, key, snapshot

    def get_id(self) -> str:
        """What the session cookie carries."""
        return self.key


def needs(permission: Permission | str) -> Callable[[View], View]:
    """Say what one must be allowed to call a view, or PUBLIC. A view that says nothing is nobody's."""

    def mark(view: View) -> View:
        view.mavrik_needs = permission  # type: ignore[attr-defined]
        return view

    return mark


def database() -> Database:
    """The app's database."""
    return cast(Database, current_app.extensions["mavrik_database"])


def session() -> Session:
    """The request's session: one transaction, committed when the view has answered well."""
    if "db_session" not in g:
        g.db_context = database().session()
        g.db_session = g.db_context.__enter__()
    return cast(Session, g.db_session)


def me() -> Who:
    """The person signed in."""
    return cast(SignedIn, current_user).who


def my_key() -> str:
    """Of the place where they are signed in."""
    return cast(SignedIn, current_user).key


def seen_at() -> str | None:
    """The snapshot of the database that the person was found in; None where nobody is signed in."""
    return cast(SignedIn, current_user).snapshot if current_user.is_authenticated else None


def address() -> str:
    """Where the request came from."""
    return request.remote_addr or "unknown"


READS = frozenset({"GET", "HEAD", "OPTIONS"})


def _from_elsewhere() -> bool:
    """Whether a browser says that a page of another site sent this: even a write token that leaked is of no use there."""
    origin = request.headers.get("Origin")
    if origin is not None:
        return urlsplit(origin).netloc != request.host
    return request.headers.get("Sec-Fetch-Site", "same-origin") not in ("same-origin", "none")


def install(app: Flask) -> None:
    """Guard every route of the app."""
    manager = LoginManager(app)
    manager.session_protection = "strong"

    @manager.user_loader  # type: ignore[untyped-decorator]
    def load(key: str) -> SignedIn | None:
        with database().glance() as look:
            session_row = sessions.find(look, key)
        return SignedIn(session_row.who, key, session_row.snapshot) if session_row else None

    @app.before_request
    def same_site() -> Response | None:
        if request.method not in READS and _from_elsewhere():
            return problem(403, "foreign", "Not allowed", "This was sent by a page of another site.")
        return None

    @app.before_request
    def guard() -> Response | None:
        if request.endpoint is None:
            return None  # no such route: 404 tells nothing
        view = app.view_functions[request.endpoint]
        permission = getattr(view, "mavrik_needs", None)
        if permission == PUBLIC:
            return None
        if not current_user.is_authenticated:
            return problem(401, "signed-out", "Signed out", "Sign in first.")
        if permission is None or not me().may(Permission(permission)):
            words = IN_WORDS[Permission(permission)] if permission else "do this"
            return problem(403, "forbidden", "Not allowed", f"Your account may not {words}.")
        return None

    @app.after_request
    def commit(response: Response) -> Response:
        # Before the answer leaves, so that nobody is told of a save that then fails. A refused sign-in is kept too.
        context = g.pop("db_context", None)
        if context is not None:
            db = g.pop("db_session")
            given_up = response.status_code >= 400 and not g.pop("keep_anyway", False)
            try:
                if given_up:
                    db.rollback()
                context.__exit__(None, None, None)
            except OperationalError as error:
                # A database that goes away has kept nothing either: what was refused stays refused.
                return response if given_up else database_away(error)
        return response

    @app.teardown_request
    def close(error: BaseException | None) -> None:
        context = g.pop("db_context", None)
        if context is not None:
            with suppress(OperationalError):
                g.pop("db_session").rollback()
                context.__exit__(None, None, None)
