"""How a document leaves the server."""

from __future__ import annotations

from flask import Response
from pydantic import BaseModel


def answer(body: BaseModel, status: int = 200) -> Response:
    """A document as JSON."""
    return Response(body.model_dump_json(), status, mimetype="application/json")
