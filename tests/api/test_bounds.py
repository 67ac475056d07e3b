"""Between what a number may lie is said once, by the core; the front end asks by name."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

from mavrik.core.measuring.quantities import QUANTITIES
from mavrik.jobs.catalogue import catalogue

ROOT = Path(__file__).resolve().parents[2]
FRONT_END, DOCS = ROOT / "frontend/src", ROOT / "docs/formats"
SUPERSEDED = ("mavrik-job.v1.schema.json", "mavrik-job.v2.schema.json")


def test_every_number_that_is_typed_has_bounds_of_its_own() -> None:
    """What a field of the front end names itself by is known to the core; a wrong name would leave it without bounds."""
    bounds = catalogue().bounds
    sources = [p.read_text(encoding="utf-8") for p in FRONT_END.rglob("*.vue")]
    named = {m for text in sources for m in re.findall(r'<NumberField[^>]*?\sof="([^"]+)"', text)}
    for text in sources:
        for tag in re.findall(r"<PartNumber[^>]*?>", text, re.DOTALL):
            of, field = re.search(r'\sof="([^"]+)"', tag), re.search(r'\sfield="([^"]+)"', tag)
            named |= {f"{of[1]}.{field[1]}"} if of and field else set()
    assert {"Run.engine_rpm", "Load.current_a"} <= named
    assert named - set(bounds) == set()
    editors = "".join(t for t in sources if "PartNumber" in t)
    fields = set(re.findall(r"\{ field: '(\w+)', label", editors))
    assert {"pulley_ratio", "limit_a", "input_cut_off_v", "cut_in_v"} <= fields
    assert {f for f in fields if not any(b.endswith(f".{f}") for b in bounds)} <= {"from_node", "to_node", "material", "place"}


def test_bounds_are_those_of_the_documents_and_of_the_quantities() -> None:
    bounds = catalogue().bounds
    assert bounds["Battery.parallel"].whole
    assert not bounds["Battery.capacity_ah"].whole
    assert bounds["Alternator.pulley_ratio"].above and not bounds["cable.length_m"].above
    assert (bounds["reading.current"].least, bounds["reading.current"].most) == (
        QUANTITIES["current"].least,
        QUANTITIES["current"].most,
    )
    assert "reading.voltage_drop" not in bounds, "its bounds depend on the system's voltage: the core says at keeping"


def test_no_number_may_be_as_good_as_nothing() -> None:
    """What is divided by a number that only has to be above 0 is not finite for 5e-324: every such field has a least value."""
    described = json.loads((DOCS / "openapi.json").read_text(encoding="utf-8"))
    schemas = {
        p.name: json.loads(p.read_text(encoding="utf-8")) for p in DOCS.glob("*.schema.json") if p.name not in SUPERSEDED
    } | {"openapi": described}

    def above_nothing(value: Any, path: str) -> list[str]:
        if isinstance(value, dict):
            here = [path] if value.get("exclusiveMinimum") == 0 else []
            return here + [p for k, v in value.items() for p in above_nothing(v, f"{path}/{k}")]
        return [p for v in value for p in above_nothing(v, path)] if isinstance(value, list) else []

    assert "Alternator" in described["components"]["schemas"]
    assert above_nothing(schemas, "") == []
