"""The leads of a job as an open description in YAML: written out for whoever builds them elsewhere, and read back with what was measured.

Source of the format: ours, docs/formats/mavrik-harness.v1.schema.json; YAML 1.1 as PyYAML reads it, without aliases, tags and repeated keys.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Mapping
from typing import Annotated, Any, Literal

import yaml
from pydantic import Field, ValidationError

from mavrik.core.circuit import Circuit, ConductorBranch
from mavrik.core.circuit.document import MAX_BRANCHES
from mavrik.core.document import Document, Identifier, Problem
from mavrik.core.fabrication.cards import LeadCard, leads_to_make
from mavrik.core.fabrication.documents import BuildBook, BulkheadStud, EndSpec, LeadSpec, Reclaimed, Way, check_book
from mavrik.core.fabrication.lengths import MOST_SLACK
from mavrik.exchange.build_json import build_bundle
from mavrik.exchange.bundle import Bundle

LARGEST = 200_000
DEEPEST = 20
FORMAT: Literal["mavrik-harness"] = "mavrik-harness"


class HarnessError(ValueError):
    """A text that is no harness of this job; `problems` says where."""

    def __init__(self, message: str, problems: tuple[Problem, ...] = ()) -> None:
        super().__init__(message)
        self.problems = list(problems)


class HarnessEnd(EndSpec):
    """One end of a lead."""

    at: Annotated[str, Field(max_length=200, description="What it goes onto; written for people, not read")] = ""
    lug: Annotated[str, Field(max_length=200, description="The lug that serves it; written for people, not read")] = ""


class HarnessLead(Document):
    """A lead."""

    id: Identifier
    label: Annotated[str, Field(max_length=200, description="Written for people, not read")] = ""
    size: Annotated[str, Field(max_length=40, description="Of the conductor; as the plan has it, whatever a file says")] = ""
    runs: Annotated[int, Field(ge=1, le=20, description="Equal ones beside each other; not read")] = 1
    route_mm: Annotated[float, Field(ge=50, le=50_000)] | None = Field(None, description="A string laid along its way [mm]")
    way: Identifier | None = Field(None, description="Of the file or of the job; then there is no string")
    from_tail_mm: Annotated[float, Field(ge=0, le=20_000, description="From its first point to the way")] = 0.0
    to_tail_mm: Annotated[float, Field(ge=0, le=20_000, description="From the way to its last point")] = 0.0
    slack: Annotated[float, Field(ge=0, le=MOST_SLACK, description="More than the string, as a share")] = 0.03
    cable_mm: Annotated[float, Field(ge=1, le=60)] | None = Field(None, description="Over its insulation [mm]")
    reclaimed: Reclaimed | None = Field(None, description="What was read of a cable that comes from elsewhere")
    start: HarnessEnd = HarnessEnd()
    end: HarnessEnd = HarnessEnd()
    finished_mm: float | None = Field(None, description="From stud to stud; computed, not read")
    cut_mm: float | None = Field(None, description="Of the cable, straight; computed, not read")


class Harness(Document):
    """The leads of a job."""

    format: Literal["mavrik-harness"] = FORMAT
    version: Literal[1] = 1
    job: Annotated[str, Field(max_length=40, description="Its number")] = ""
    vehicle: Annotated[str, Field(max_length=200)] = ""
    leads: Annotated[tuple[HarnessLead, ...], Field(max_length=MAX_BRANCHES)]
    ways: Annotated[tuple[Way, ...], Field(max_length=30, description="That leads share")] = ()
    bulkheads: Annotated[tuple[BulkheadStud, ...], Field(max_length=30, description="Points whose studs go through a panel")] = ()


class HarnessRead(Document):
    """A book with what a harness says of its leads."""

    document: BuildBook
    messages: tuple[str, ...] = Field(description="What the file says otherwise than the plan, which stays")


def harness_of(bundle: Bundle) -> Harness:
    """The leads that a job's plan asks to be made. Raises ValueError as `build_bundle`."""
    made = build_bundle(bundle)
    specs = {s.branch_id: s for s in made.book.leads}
    return Harness(
        job=bundle.job.number, vehicle=bundle.vehicle.description,
        leads=tuple(_lead(c, specs.get(c.branch_id)) for c in made.view.cards), ways=made.book.ways, bulkheads=made.book.bulkheads,
    )  # fmt: skip


def _lead(card: LeadCard, spec: LeadSpec | None) -> HarnessLead:
    known = spec or LeadSpec(branch_id=card.branch_id)
    ends = [HarnessEnd(**of.model_dump()) for of in (known.from_end, known.to_end)]
    # One that cannot be made as it is asked goes out as it was asked.
    for k, end in enumerate(card.ends):
        ends[k] = ends[k].model_copy(update={"at": end.at[:200], "lug": end.lug[:200]})
    return HarnessLead(
        id=card.branch_id, label=card.label, size=card.size, runs=card.runs, route_mm=known.route_mm, way=known.way,
        from_tail_mm=known.from_tail_mm, to_tail_mm=known.to_tail_mm, slack=known.slack,
        cable_mm=known.cable_mm, reclaimed=known.reclaimed, start=ends[0], end=ends[1], finished_mm=card.finished_mm, cut_mm=card.cut_mm,
    )  # fmt: skip


def harness_to_yaml(harness: Harness) -> str:
    """As YAML, in the order of its fields, without what nobody has said.

    >>> print(harness_to_yaml(Harness(job="26-0017", leads=(HarnessLead(id="charge_cable", route_mm=1200),))), end="")
    format: mavrik-harness
    version: 1
    job: 26-0017
    vehicle: ''
    leads:
    - id: charge_cable
      label: ''
      size: ''
      runs: 1
      route_mm: 1200.0
      from_tail_mm: 0.0
      to_tail_mm: 0.0
      slack: 0.03
      start:
        palm: flat
        tool: hex
        at: ''
        lug: ''
      end:
        palm: flat
        tool: hex
        at: ''
        lug: ''
    ways: []
    bulkheads: []
    """
    plain = harness.model_dump(mode="json", exclude_none=True)
    return str(yaml.safe_dump(plain, sort_keys=False, allow_unicode=True, width=120))


class _Strict(yaml.SafeLoader):  # type: ignore[misc]
    """Refuses what a harness has no use for and a stranger's file may harm with."""

    depth = 0

    def compose_node(self, parent: Any, index: Any) -> Any:
        if self.check_event(yaml.events.AliasEvent):
            raise _error_at(self.peek_event(), "An alias (*) is not read: write it out.")
        self.depth += 1
        if self.depth > DEEPEST:
            raise _error_at(self.peek_event(), "This is nested too deep.")
        try:
            return super().compose_node(parent, index)
        finally:
            self.depth -= 1

    def construct_mapping(self, node: Any, deep: bool = False) -> dict[Hashable, Any]:
        seen = set[Any]()
        for key, _ in node.value:
            name = self.construct_object(key, deep=True)
            if not isinstance(name, str):
                raise _error_at(key, "The name of a field is a word.")
            if name in seen:
                raise _error_at(key, f"'{name}' stands there twice.")
            seen.add(name)
        return dict(super().construct_mapping(node, deep))


def _error_at(at: Any, what: str) -> yaml.YAMLError:
    return yaml.MarkedYAMLError(problem=what, problem_mark=at.start_mark)


def harness_from_yaml(text: str) -> Harness:
    """A harness out of YAML.

    Raises HarnessError with line and reason for what is none.

    >>> harness_from_yaml("format: mavrik-harness\\nversion: 1\\nleads: [{id: charge_cable, route_mm: 1200}]").leads[0].route_mm
    1200.0
    """
    if len(text) > LARGEST:
        raise HarnessError(f"A harness of more than {LARGEST // 1000} kB is not read.")
    try:
        data = yaml.load(text, _Strict)  # noqa: S506 - a SafeLoader that refuses more
    except yaml.MarkedYAMLError as error:
        line = f"Line {error.problem_mark.line + 1}: " if error.problem_mark else ""
        raise HarnessError(f"{line}{(error.problem or 'this is no YAML').rstrip('.')}.") from error
    except (yaml.YAMLError, ValueError, RecursionError) as error:
        raise HarnessError("This is no YAML.") from error
    if not isinstance(data, dict):
        raise HarnessError("This is no harness: it begins with 'format: mavrik-harness'.")
    try:
        return Harness.model_validate(data)
    except ValidationError as error:
        raise HarnessError("This is no harness that can be read.", tuple(_places(error, data))) from error


def _places(error: ValidationError, data: Mapping[str, Any]) -> Iterator[Problem]:
    """Each at its lead and field."""
    for e in error.errors()[:20]:
        where = e["loc"]
        element = "harness"
        if len(where) > 1 and where[0] == "leads" and isinstance(where[1], int):
            lead = data["leads"][where[1]]
            element = str(lead.get("id", f"lead {where[1] + 1}")) if isinstance(lead, dict) else f"lead {where[1] + 1}"
        field = str(where[-1]) if where else "harness"
        yield Problem(element, field, f"{element}, {field}: {e['msg']}")


def with_harness(book: BuildBook, harness: Harness, as_found: Circuit, planned: Circuit) -> HarnessRead:
    """A book with what a harness says of its leads; those that it names are made, anew where the plan leaves them as they are.

    book: as it stands; harness: what was read; found, planned: the job's circuits
    Leads and ways that it does not name stay as they are in the book. Raises HarnessError, at the lead, for one that the plan does not
    have, that stands there twice, or that says what cannot be.
    """
    leads = {b.id: b for b in planned.branches if isinstance(b, ConductorBranch)}
    wrong, seen = [], set[str]()
    for its in harness.leads:
        if its.id not in leads:
            wrong.append(Problem(its.id, "id", f"The plan has no lead '{its.id}': it has {', '.join(leads)}."[:500]))
        elif its.id in seen:
            wrong.append(Problem(its.id, "id", f"Lead '{its.id}' stands in the file twice."))
        seen.add(its.id)
    points = {n.id for n in planned.nodes}
    wrong += [
        Problem(b.node_id, "node_id", f"The plan has no point '{b.node_id}'.")
        for b in harness.bulkheads
        if b.node_id not in points
    ]
    if wrong:
        raise HarnessError(wrong[0].message, tuple(wrong))
    messages = [
        f"{leads[h.id].label}: the plan has {leads[h.id].conductor.label}, the file {h.size}. The plan's stays."
        for h in harness.leads
        if h.size and h.size != leads[h.id].conductor.label
    ]
    ends = {"at", "lug"}
    specs = tuple(
        LeadSpec(
            branch_id=h.id, route_mm=h.route_mm, way=h.way, from_tail_mm=h.from_tail_mm, to_tail_mm=h.to_tail_mm, slack=h.slack,
            cable_mm=h.cable_mm, reclaimed=h.reclaimed,
            from_end=EndSpec(**h.start.model_dump(exclude=ends)), to_end=EndSpec(**h.end.model_dump(exclude=ends)),
        )
        for h in harness.leads
    )  # fmt: skip
    making = {b.id for b in leads_to_make(as_found, planned, book.anew)}
    anew = (*book.anew, *(h.id for h in harness.leads if h.id not in making))
    others = tuple(s for s in book.leads if s.branch_id not in seen)
    renewed = {w.id for w in harness.ways}
    ways = (*(w for w in book.ways if w.id not in renewed), *harness.ways)
    through = {b.node_id for b in harness.bulkheads}
    bulkheads = (*(b for b in book.bulkheads if b.node_id not in through), *harness.bulkheads)
    document = book.model_copy(update={"leads": (*others, *specs), "anew": anew, "ways": ways, "bulkheads": bulkheads})
    if problems := check_book(document):
        raise HarnessError(problems[0].message, tuple(problems))
    return HarnessRead(document=document, messages=tuple(messages))


def harness_schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of a harness."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **Harness.model_json_schema()}
