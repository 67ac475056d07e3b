"""Data tables that ship with the core: read once, validated, never changed."""

from __future__ import annotations

import json
from importlib import resources
from typing import TypeVar

from pydantic import BaseModel, ConfigDict

Model = TypeVar("Model", bound=BaseModel)


class Table(BaseModel):
    """Base of every data file: says where its values come from."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    title: str
    source: str


def load_table(name: str, kind: type[Model]) -> Model:
    """The data file ``core/catalogue/data/<name>.json`` as a validated ``kind``.

    name: file name without its ending
    kind: the pydantic model that describes the file
    Raises FileNotFoundError for an unknown name, pydantic.ValidationError for a file that breaks its model.
    Source: each file carries its own.

    """
    if name not in _loaded:
        text = (resources.files("mavrik.core.catalogue") / "data" / f"{name}.json").read_text(encoding="utf-8")
        _loaded[name] = kind.model_validate(json.loads(text))
    table = _loaded[name]
    assert isinstance(table, kind)
    return table


_loaded: dict[str, BaseModel] = {}
