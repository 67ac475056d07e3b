"""Writing the published formats: the schemas and the API's description."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from mavrik.exchange.build_json import build_schema
from mavrik.exchange.bundle import bundle_schema
from mavrik.exchange.findings_json import findings_schema
from mavrik.exchange.harness_yaml import harness_schema
from mavrik.exchange.isolation_json import isolation_schema
from mavrik.exchange.operating_json import operating_point_schema, state_schema
from mavrik.exchange.plan_json import plan_schema
from mavrik.web.app import create_app
from mavrik.web.settings import Settings


def formats() -> dict[str, dict[str, Any]]:
    """Every published schema by file name."""
    app = create_app(Settings(database_url="postgresql://nowhere/none"))
    described: dict[str, Any] = app.api_doc
    return {
        "mavrik-job.v3.schema.json": bundle_schema(),
        "mavrik-findings.v2.schema.json": findings_schema(),
        "mavrik-state.v1.schema.json": state_schema(),
        "mavrik-operating-point.v1.schema.json": operating_point_schema(),
        "mavrik-plan.v1.schema.json": plan_schema(),
        "mavrik-isolation.v2.schema.json": isolation_schema(),
        "mavrik-build.v2.schema.json": build_schema(),
        "mavrik-harness.v1.schema.json": harness_schema(),
        "openapi.json": described,
    }


def write_formats(folder: Path, check: bool = False) -> list[str]:
    """Write the schemas into a folder, or only look; returns the names that were out of date."""
    stale = []
    for name, schema in formats().items():
        text = json.dumps(schema, indent=1, ensure_ascii=False, sort_keys=True) + "\n"
        path = folder / name
        if not path.exists() or path.read_text(encoding="utf-8") != text:
            stale.append(name)
            if not check:
                path.write_text(text, encoding="utf-8")
    return stale
