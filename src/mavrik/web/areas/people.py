"""Accounts."""

from __future__ import annotations

from typing import Annotated

from flask import Response
from pydantic import BaseModel, Field

from mavrik.domain.roles import Permission, Role
from mavrik.jobs import people
from mavrik.web.access import me, needs, session
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.repeat import creates
from mavrik.web.shared import ERRORS, SAVE_ERRORS, tag

api = Area("people", __name__)


class PersonBody(BaseModel):
    """A new account."""

    login: Annotated[str, Field(max_length=60)]
    name: Annotated[str, Field(max_length=80)]
    role: Role
    password: Annotated[str, Field(max_length=200)]


class PersonChange(BaseModel):
    """An account as changed by a lead."""

    name: Annotated[str, Field(max_length=80)]
    role: Role
    active: bool
    lock: int
    password: Annotated[str, Field(max_length=200, description="A new one, or empty to leave it")] = ""


class PersonPath(BaseModel):
    """Names an account."""

    person_id: Annotated[int, Field(ge=1, le=2**31 - 1)]


class PeopleOut(BaseModel):
    """All accounts."""

    people: list[people.Account]


class NamesOut(BaseModel):
    """Who may sign in."""

    people: list[people.Named]


@api.get("/people", summary="All accounts", tags=tag("people"), responses={"200": PeopleOut})
@needs(Permission.KEEP_PEOPLE)
def get_people() -> Response:
    """For leads."""
    return answer(PeopleOut(people=people.list_people(session())))


@api.get("/people/names", summary="Who works here", tags=tag("people"), responses={"200": NamesOut})
@needs(Permission.READ)
def get_names() -> Response:
    """For a list to choose from."""
    return answer(NamesOut(people=people.list_names(session())))


@api.post("/people", summary="Add an account", tags=tag("people"), responses={"201": people.Account, **ERRORS})
@needs(Permission.KEEP_PEOPLE)
@creates
def post_people(body: PersonBody) -> Response:
    """For leads."""
    who = people.add_person(session(), body.login, body.name, body.role, body.password, me())
    return answer(people.Account(id=who.id, login=who.login, name=who.name, role=who.role, active=True, lock=1), 201)


@api.put(
    "/people/<int:person_id>",
    summary="Change or close an account",
    tags=tag("people"),
    responses={"200": people.Account, **SAVE_ERRORS},
)
@needs(Permission.KEEP_PEOPLE)
def put_person(path: PersonPath, body: PersonChange) -> Response:
    """For leads. Ends every session of that person."""
    return answer(people.change_person(session(), path.person_id, by=me(), **body.model_dump()))
