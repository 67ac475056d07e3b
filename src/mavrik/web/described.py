"""The description of the API: made when it is asked for, not at every start.

To describe every answer takes a third of the time in which a server process starts, and only who publishes the formats reads it.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from flask_openapi3.blueprint import APIBlueprint
from flask_openapi3.openapi import OpenAPI


class Area(APIBlueprint):
    """The routes of one area of the API. What they take is known from the start, what they answer when `describe` was called."""

    def __init__(self, name: str, import_name: str) -> None:
        super().__init__(name, import_name, url_prefix="/api")
        self._undescribed: list[tuple[str, Callable[..., Any], dict[str, Any]]] = []

    def _collect_openapi_info(self, rule: str, func: Callable[..., Any], **options: Any) -> Any:
        if options.get("doc_ui", True):
            self._undescribed.append((rule, func, options))
        return super()._collect_openapi_info(rule, func, **{**options, "doc_ui": False})

    def describe(self) -> None:
        """Fill in `paths`, `tags` and `components_schemas`."""
        undescribed, self._undescribed = self._undescribed, []
        for rule, func, options in undescribed:
            super()._collect_openapi_info(rule, func, **options)


class Api(OpenAPI):
    """The application with its areas."""

    @property
    def api_doc(self) -> dict[str, Any]:
        """Its description by OpenAPI, as a document."""
        if not self.spec_json:
            for area in self.blueprints.values():
                if isinstance(area, Area):
                    area.describe()
                    self.tags.extend(t for t in area.tags if t.name not in {tag.name for tag in self.tags})
                    self.paths.update(area.paths)
                    self.components_schemas.update(area.components_schemas)
        described: dict[str, Any] = super().api_doc
        return described
