"""The yard: the drawn vehicles, and cases drawn from them."""

from __future__ import annotations

import copy
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from tests.reference.strangers.altered import altered
from tests.reference.strangers.faults import FAULTS, RARE, WORKED, more_loads, places, put, worked
from tests.reference.strangers.other_laws import COARSE_METERS, OtherLaws
from tests.reference.strangers.reading import METERS, Hands
from tests.reference.strangers.textbook import EXACT_METERS, Textbook, put_by_the_book
from tests.reference.strangers.vehicle import Stranger

DRAWN: dict[str, tuple[str, int]] = {
    "hatchback": ("front_battery", 12),
    "lorry": ("front_battery", 24),
    "coupe, battery in the boot": ("rear_battery", 12),
    "estate, both grounds": ("rear_battery_both", 12),
    "diesel, two batteries": ("parallel_batteries", 12),
    "van behind a voltage link": ("second_battery_link", 12),
    "camper behind a charger": ("second_battery_converter", 12),
    "launch, isolator and remote sense": ("boat_isolator", 12),
    "cruiser, selector": ("boat_selector", 12),
    "barge, second alternator on four": ("house_bank_diagonal", 12),
    "motorcycle": ("motorcycle", 12),
    "rally car": ("competition_car", 12),
}
STARTS = {"motorcycle": 0.0, "competition_car": 180.0}
SHARES = {"healthy": 0.2, "pair": 0.2, "budget": 0.1, "slip": 0.1}


@dataclass(frozen=True)
class Case:
    """One vehicle with what is wrong with it."""

    drawn: str
    sort: str
    vehicle: Stranger
    slip: bool
    """Whether one reading was taken with a probe in the wrong place."""
    meters: tuple[dict[str, Any], ...] = tuple(METERS)
    noted: bool = True
    """Whether it is written down what was read with which."""


def documents(build: Callable[[str, int], dict[str, Any]]) -> dict[str, dict[str, Any]]:
    """The drawn circuits.

    build: gives a ready drawing by name and system voltage, as a document
    """
    built = {}
    for name, (layout, volts) in DRAWN.items():
        document = copy.deepcopy(build(layout, volts))
        document["system_voltage_v"] = volts
        amps = STARTS.get(layout, 220.0 if volts == 12 else 320.0)
        if amps and not any(x["cranking"] for x in document["loads"]):
            main = document["batteries"][0]
            block = next((n["id"] for n in document["nodes"] if n["role"] == "engine_block"), main["negative_node"])
            document["loads"].append(
                {
                    "id": "starter", "label": "Starter", "from_node": main["positive_node"], "to_node": block, "current_a": amps,
                    "law": "resistance", "cut_off_v": 0.0, "on": True, "cranking": True, "inrush_a": None, "inrush_s": 0.2,
                }
            )  # fmt: skip
        built[name] = document
    return built


def draw_rare(drawn: dict[str, dict[str, Any]], number: int, kinds: Sequence[str] = tuple(RARE)) -> Case:
    """The case of a number among those that look like something else: a kind, and a vehicle that can have it."""
    rng = np.random.default_rng([20_27, number])
    kind = kinds[number % len(kinds)]
    while True:
        name = str(rng.choice(list(drawn)))
        vehicle = Stranger(copy.deepcopy(drawn[name]), rng)
        if where := places(vehicle, kind):
            put(vehicle, kind, str(rng.choice(where)))
            return Case(name, kind, vehicle, False)


def draw_worked(drawn: dict[str, dict[str, Any]], number: int) -> Case:
    """The case of a number among those with a bad way of an isolator, of diodes or of transistors, or with burnt contacts of a link."""
    rng = np.random.default_rng([20_30, number])
    kind = list(WORKED)[number % len(WORKED)]
    while True:
        name = str(rng.choice(list(drawn)))
        document = copy.deepcopy(drawn[name])
        transistors = bool(rng.uniform() < 0.5)
        for b in document["branches"]:
            if b["kind"] == "diode" and transistors:
                b |= {"kind": "mosfet", "forward_v": 0.02, "resistance_mohm": 0.4}
        vehicle = Stranger(document, rng)
        if where := worked(vehicle, kind):
            put(vehicle, kind, str(rng.choice(where)))
            return Case(name, kind, vehicle, False)


def draw_altered(drawn: dict[str, dict[str, Any]], number: int) -> Case:
    """The case of a number on a vehicle that is wired as no drawing has it."""
    rng = np.random.default_rng([20_28, number])
    name = list(drawn)[number % len(drawn)]
    return _drawn(name, Stranger(altered(drawn[name], rng), rng))


def draw_by_other_laws(drawn: dict[str, dict[str, Any]], number: int) -> Case:
    """The case of a number on a vehicle by other laws, read with coarser meters."""
    name = list(drawn)[number % len(drawn)]
    case = _drawn(name, OtherLaws(copy.deepcopy(drawn[name]), np.random.default_rng([20_29, number])))
    return replace(case, meters=tuple(COARSE_METERS))


def draw_by_the_book(drawn: dict[str, dict[str, Any]], number: int) -> Case:
    """The case of a number on a vehicle as a textbook has it, one of five with nothing broken, the others with one fault; nobody says which
    meters read it."""
    name = list(drawn)[number % len(drawn)]
    vehicle = Textbook(copy.deepcopy(drawn[name]), np.random.default_rng([31, number]))
    sort = "single" if number % 5 else "healthy"
    while sort == "single":
        kind = str(vehicle.rng.choice(list(FAULTS)))
        if where := places(vehicle, kind):
            put_by_the_book(vehicle, kind, str(vehicle.rng.choice(where)))
            break
    return Case(name, sort, vehicle, False, tuple(EXACT_METERS), False)


def draw(drawn: dict[str, dict[str, Any]], number: int) -> Case:
    """The case of a number: always the same one."""
    name = list(drawn)[number % len(drawn)]
    return _drawn(name, Stranger(copy.deepcopy(drawn[name]), np.random.default_rng([20_26, number])))


def alone(drawn: dict[str, dict[str, Any]], number: int) -> dict[str, Stranger]:
    """The vehicle of a case with one of its faults only, by that fault: nothing else of it differs."""
    name = list(drawn)[number % len(drawn)]
    vehicle = Stranger(copy.deepcopy(drawn[name]), np.random.default_rng([20_26, number]))
    sound, faults = copy.deepcopy(vehicle), list[tuple[str, str, np.random.Generator]]()

    def noted(v: Stranger, kind: str, place: str) -> None:
        faults.append((kind, place, copy.deepcopy(v.rng)))
        put(v, kind, place)

    _drawn(name, vehicle, noted)
    ones = {}
    for kind, place, rng in faults:
        one = copy.deepcopy(sound)
        # As bad as it is beside the other.
        one.rng = rng
        put(one, kind, place)
        ones[f"{kind}:{place}"] = one
    return ones


def _drawn(name: str, vehicle: Stranger, put: Callable[[Stranger, str, str], None] = put) -> Case:
    """What is wrong with a vehicle, drawn from what it is made of."""
    rng = vehicle.rng
    sort = str(rng.choice([*SHARES, "single"], p=[*SHARES.values(), 1 - sum(SHARES.values())]))
    if sort == "budget":
        more_loads(vehicle)
    for _ in range({"single": 1, "pair": 2}.get(sort, 0)):
        while True:
            kind = str(rng.choice(list(FAULTS)))
            where = [p for p in places(vehicle, kind) if f"{kind}:{p}" not in vehicle.truth.causes]
            if where:
                put(vehicle, kind, str(rng.choice(where)))
                break
    return Case(name, sort, vehicle, sort == "slip")


def read(case: Case, tests: list[tuple[str, list[Any]]]) -> list[dict[str, Any]]:
    """What somebody read on it, as runs of a bundle; with a slip one drop has its probes elsewhere.

    tests: names with the places that each asks for
    """
    hands = Hands(case.vehicle, list(case.meters))
    runs = hands.runs(tests)
    if not case.noted:
        runs = [
            {k: v for k, v in run.items() if k != "instruments"}
            | {"readings": [{k: v for k, v in r.items() if k != "instrument"} for r in run["readings"]]}
            for run in runs
        ]
    if case.slip:
        drops = [
            r
            for run in runs
            for r in run["readings"]
            if r["point"].startswith("drop_v:") and run["procedure"] == "charging_drops"
        ]
        if drops:
            wrong = drops[int(case.vehicle.rng.integers(len(drops)))]
            how = case.vehicle.rng.integers(3)
            wrong["value"] = [0.0, -wrong["value"], round(wrong["value"] + case.vehicle.rng.uniform(0.3, 12.0), 3)][how]
    return runs
