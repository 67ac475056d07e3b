"""Signing in and out, and whether the server answers."""

from __future__ import annotations

from typing import Annotated

from flask import Response, current_app, g
from flask_login import current_user, login_user, logout_user
from flask_openapi3.blueprint import APIBlueprint
from flask_wtf.csrf import generate_csrf
from pydantic import BaseModel, Field

from mavrik import __version__
from mavrik.domain.roles import Role
from mavrik.jobs import people
from mavrik.jobs.people import Who
from mavrik.web.access import PUBLIC, SignedIn, address, me, needs, session
from mavrik.web.answers import answer
from mavrik.web.problems import ProblemDocument, problem
from mavrik.web.shared import ERRORS, tag

api = APIBlueprint("session", __name__, url_prefix="/api")


class Me(BaseModel):
    """Who is signed in, and the token that writes must carry."""

    signed_in: bool
    name: str = ""
    login: str = ""
    role: Role | None = None
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
        csrf_token=generate_csrf(),
        workshop=settings.workshop,
        demo=settings.demo,
    )


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
    """Five failures in ten minutes close a login for a while."""
    g.keep_anyway = True
    who = people.sign_in(session(), body.login, body.password, address())
    if who is None:
        return problem(401, "wrong-password", "Not signed in", "Login or password is wrong.")
    login_user(SignedIn(who))
    return answer(_me(who))


@api.delete("/session", summary="Sign out", tags=tag("session"), responses={"200": Me})
@needs(Role.READ_ONLY)
def delete_session() -> Response:
    """Ends this session."""
    logout_user()
    return answer(_me(None))


@api.put(
    "/session/password",
    summary="Change one's own password",
    tags=tag("session"),
    responses={"200": Me, **ERRORS, "429": ProblemDocument},
)
@needs(Role.READ_ONLY)
def put_password(body: PasswordBody) -> Response:
    """Ends every other session of this person."""
    g.keep_anyway = True
    who = people.change_password(session(), me(), body.password, body.new_password, address())
    login_user(SignedIn(who))
    return answer(_me(who))
