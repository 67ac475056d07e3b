"""Signing in and out, and whether the server answers."""

from __future__ import annotations

from typing import Annotated

from flask import Response, current_app, g, request
from flask import session as flask_session
from flask_login import current_user, login_user, logout_user
from flask_wtf.csrf import generate_csrf
from pydantic import BaseModel, Field

from mavrik import __version__
from mavrik.domain.roles import MAY, Permission, Role, Who
from mavrik.jobs import people, sessions
from mavrik.jobs.sessions import SignInRecord
from mavrik.web.access import PUBLIC, SignedIn, address, me, my_key, needs, session
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.problems import ProblemDocument, problem
from mavrik.web.shared import ERRORS, SAVE_ERRORS, tag

api = Area("session", __name__)


class Me(BaseModel):
    """Who is signed in, and the token that writes must carry."""

    signed_in: bool
    name: str = ""
    login: str = ""
    role: Role | None = None
    may: list[Permission] = []
    csrf_token: str
    workshop: str
    demo: bool
    version: str = __version__


class SignInBody(BaseModel):
    """Login and password."""

    login: Annotated[str, Field(max_length=60)]
    password: Annotated[str, Field(max_length=200)]


class PasswordBody(BaseModel):
    """One's own password, old and new."""

    password: Annotated[str, Field(max_length=200)]
    new_password: Annotated[str, Field(max_length=200)]


class SignInsOut(BaseModel):
    """Where one is signed in, the newest first."""

    sign_ins: list[SignInRecord]
    lasts_hours: float = Field(sessions.LASTS.total_seconds() / 3600, description="After so long each ends by itself")


class SignInPath(BaseModel):
    """Names a place where one is signed in."""

    sign_in_id: Annotated[int, Field(ge=1, le=2**31 - 1)]


class Healthy(BaseModel):
    """The server answers, and so does its database."""

    status: str


def _me(who: Who | None) -> Me:
    settings = current_app.config["MAVRIK"]
    return Me(
        signed_in=who is not None,
        name=who.name if who else "",
        login=who.login if who else "",
        role=who.role if who else None,
        may=sorted(MAY[who.role]) if who else [],
        csrf_token=generate_csrf(),
        workshop=settings.workshop,
        demo=settings.demo,
    )


@api.get("/live", summary="Whether the server answers", tags=tag("server"), responses={"200": Healthy})
@needs(PUBLIC)
def live() -> Response:
    """Asks nobody else: one that does not answer this is to be started again."""
    return answer(Healthy(status="ok"))


@api.get("/ready", summary="Whether the server can work", tags=tag("server"), responses={"200": Healthy, "503": ProblemDocument})
@needs(PUBLIC)
def ready() -> Response:
    """Asks its database; 503 while that is away: one that says so is left alone, and gets no requests meanwhile."""
    people.has_people(session())
    return answer(Healthy(status="ok"))


@api.get("/health", summary="Whether the server and its database answer", tags=tag("server"), responses={"200": Healthy})
@needs(PUBLIC)
def health() -> Response:
    """Asks the database one thing."""
    people.has_people(session())
    return answer(Healthy(status="ok"))


@api.get("/session", summary="Who is signed in", tags=tag("session"), responses={"200": Me})
@needs(PUBLIC)
def get_session() -> Response:
    """Also hands out the token for writes."""

    return answer(_me(me() if current_user.is_authenticated else None))


@api.post(
    "/session", summary="Sign in", tags=tag("session"), responses={"200": Me, "401": ProblemDocument, "429": ProblemDocument}
)
@needs(PUBLIC)
def post_session(body: SignInBody) -> Response:
    """Five failures in ten minutes close a login for a while, at the address they came from."""
    g.keep_anyway = True
    who = people.sign_in(session(), body.login, body.password, address())
    if who is None:
        return problem(401, "wrong-password", "Not signed in", "Login or password is wrong.")
    return _signed_in(who)


def _signed_in(who: Who) -> Response:
    """A place of their own to be signed in at, with nothing in it of who was here before: another cookie, another write token."""
    flask_session.clear()
    g.pop("csrf_token", None)
    handheld = "mobi" in request.headers.get("User-Agent", "").lower()
    login_user(SignedIn(who, sessions.begin(session(), who, address(), handheld), snapshot=""))
    return answer(_me(who))


@api.delete("/session", summary="Sign out", tags=tag("session"), responses={"200": Me})
@needs(Permission.READ)
def delete_session() -> Response:
    """Ends this session: a copy of its cookie is good for nothing any more."""
    sessions.end(session(), my_key())
    logout_user()
    flask_session.clear()
    g.pop("csrf_token", None)
    return answer(_me(None))


@api.get("/sign-ins", summary="Where one is signed in", tags=tag("session"), responses={"200": SignInsOut})
@needs(Permission.READ)
def get_sign_ins() -> Response:
    """One's own only."""
    return answer(SignInsOut(sign_ins=sessions.own(session(), me(), my_key())))


@api.delete(
    "/sign-ins/<int:sign_in_id>", summary="Sign out elsewhere", tags=tag("session"), responses={"200": SignInsOut, **SAVE_ERRORS}
)
@needs(Permission.READ)
def delete_sign_in(path: SignInPath) -> Response:
    """Ends one of one's own sessions."""
    sessions.end_one(session(), me(), path.sign_in_id)
    return answer(SignInsOut(sign_ins=sessions.own(session(), me(), my_key())))


@api.put(
    "/session/password",
    summary="Change one's own password",
    tags=tag("session"),
    responses={"200": Me, **ERRORS, "429": ProblemDocument},
)
@needs(Permission.READ)
def put_password(body: PasswordBody) -> Response:
    """Ends every other session of this person."""
    g.keep_anyway = True
    who = people.change_password(session(), me(), body.password, body.new_password, address())
    return _signed_in(who)
