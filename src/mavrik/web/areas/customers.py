"""Customers and what is known of them."""

from __future__ import annotations

from typing import Annotated

from flask import Response, current_app
from pydantic import BaseModel, Field

from mavrik.domain.roles import Permission
from mavrik.jobs import customers
from mavrik.jobs.tasks import TaskRecord
from mavrik.web.access import me, needs, session
from mavrik.web.answers import answer
from mavrik.web.described import Area
from mavrik.web.kept import kept
from mavrik.web.repeat import creates
from mavrik.web.shared import ERRORS, SAVE_ERRORS, tag

api = Area("customers", __name__)


class CustomerPath(BaseModel):
    """Names a customer."""

    customer_id: Annotated[int, Field(ge=1, le=2**31 - 1)]


class Erasure(BaseModel):
    """The customer's name, typed once more."""

    name: Annotated[str, Field(min_length=1, max_length=120)]


class Erased(BaseModel):
    """In how many jobs a customer was erased."""

    jobs: int


@api.get("/customers", summary="List customers", tags=tag("customers"), responses={"200": customers.CustomersPage, **ERRORS})
@needs(Permission.ERASE)
@kept
def get_customers(query: customers.CustomersQuery) -> Response:
    """By name, a page at a time."""
    return answer(customers.list_customers(session(), query))


@api.post(
    "/customers/<int:customer_id>/data", summary="All that is known of a customer", tags=tag("customers"),
    responses={"202": TaskRecord, **SAVE_ERRORS},
)  # fmt: skip
@needs(Permission.ERASE)
@creates
def post_data(path: CustomerPath) -> Response:
    """A ZIP of job bundles; it is made in the background."""
    workshop = current_app.config["MAVRIK"].workshop
    return answer(customers.write_everything_later(session(), path.customer_id, workshop, me()), 202)


@api.post(
    "/customers/<int:customer_id>/erase",
    summary="Erase a customer",
    tags=tag("customers"),
    responses={"200": Erased, **SAVE_ERRORS},
)
@needs(Permission.ERASE)
def post_erase(path: CustomerPath, body: Erasure) -> Response:
    """Name, contact, vehicles, complaints and notes are gone for good; readings stay."""
    return answer(Erased(jobs=customers.erase(session(), path.customer_id, body.name, me())))
