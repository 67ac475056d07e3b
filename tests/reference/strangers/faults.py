"""What can be wrong with a vehicle, as physics of its own; each is named in the product's words, so that answers can be compared."""

from __future__ import annotations

from collections.abc import Callable

from tests.reference.strangers.vehicle import OPEN_OHM, Stranger

Fault = Callable[[Stranger, str], None]
LEAST_OHM, MOST_OHM = 0.003, 0.08
"""Of a bad contact: below that a technician would shrug."""


def _resistance(v: Stranger, branch: str) -> None:
    ratio = MOST_OHM / LEAST_OHM
    v.truth.more_ohm[branch] = max(LEAST_OHM * float(ratio ** v.rng.uniform()), 0.8 * v.ohm[branch])


def _open(v: Stranger, branch: str) -> None:
    v.truth.more_ohm[branch] = OPEN_OHM


def _field_open(v: Stranger, unit: str) -> None:
    v.units[unit].most_a = 0.0
    v.truth.lamp[unit] = False


def _rectifier(least: float, most: float, ripple: tuple[float, float], leak: tuple[float, float] | None = None) -> Fault:
    def fault(v: Stranger, unit: str) -> None:
        v.units[unit].most_a *= v.rng.uniform(least, most)
        v.truth.ripple_vpp[unit] = float(v.rng.uniform(*ripple)) * v.volts / 12
        if leak is not None:
            v.truth.leaks_a[v.document["batteries"][0]["id"]] = float(v.rng.uniform(*leak))

    return fault


def _worn_brushes(v: Stranger, unit: str) -> None:
    v.units[unit].most_a *= v.rng.uniform(0.35, 0.75)


def _belt_slips(v: Stranger, unit: str) -> None:
    """The harder it is to turn, the more it slips: with loads on it shows, without them hardly."""
    v.units[unit].slip = float(v.rng.uniform(0.15, 0.4))
    v.truth.belt_good[unit] = bool(v.rng.uniform() < 0.2)


def _regulator(sign: float) -> Fault:
    def fault(v: Stranger, unit: str) -> None:
        v.units[unit].set_v += sign * float(v.rng.uniform(0.7, 1.9)) * v.volts / 12

    return fault


def _sense_open(v: Stranger, unit: str) -> None:
    one = v.units[unit]
    v.truth.sense_open.add(unit)
    one.sense = (one.stud, one.case)
    one.set_v += float(v.rng.uniform(1.5, 3.0)) * v.volts / 12


def _under_rated(v: Stranger, unit: str) -> None:
    share = float(v.rng.uniform(0.45, 0.7))
    v.units[unit].most_a *= share
    v.truth.plate_a[unit] = round(v.truth.plate_a[unit] * share / 5) * 5.0


def _weak_battery(v: Stranger, battery: str) -> None:
    v.banks[battery].inner_ohm *= float(v.rng.uniform(2.2, 6.0))


def _dead_cell(v: Stranger, battery: str) -> None:
    v.banks[battery].open_v -= float(v.rng.uniform(1.9, 2.2))
    v.banks[battery].inner_ohm *= 2.0


def _drain(v: Stranger, battery: str) -> None:
    v.truth.leaks_a[battery] = float(v.rng.uniform(0.2, 2.5))


FAULTS: dict[str, Fault] = {
    "resistance": _resistance,
    "open": _open,
    "field_open": _field_open,
    "diode_open": _rectifier(0.65, 0.88, (0.6, 1.1)),
    "diode_shorted": _rectifier(0.25, 0.55, (1.1, 1.9), (0.4, 1.4)),
    "phase_lost": _rectifier(0.45, 0.68, (0.9, 1.6)),
    "worn_brushes": _worn_brushes,
    "belt_slips": _belt_slips,
    "regulator_low": _regulator(-1.0),
    "regulator_high": _regulator(+1.0),
    "sense_open": _sense_open,
    "under_rated": _under_rated,
    "weak_battery": _weak_battery,
    "dead_cell": _dead_cell,
    "drain": _drain,
}


def _missing(v: Stranger, branch: str) -> None:
    v.truth.more_ohm[branch] = OPEN_OHM


def _comes_and_goes(v: Stranger, branch: str) -> None:
    """It was bad while the drops were read, or in all other tests."""
    _resistance(v, branch)
    v.truth.only_in[branch] = ("at_output",) if v.rng.uniform() < 0.6 else ELSEWHERE


def _sulphated(v: Stranger, battery: str) -> None:
    v.banks[battery].inner_ohm *= float(v.rng.uniform(1.5, 2.5))
    v.banks[battery].takes_ohm *= float(v.rng.uniform(3.0, 8.0))


def _sense_resistance(v: Stranger, unit: str) -> None:
    lost = float(v.rng.uniform(0.3, 0.9)) * v.volts / 12
    v.units[unit].set_v += lost
    v.truth.sense_drop_v[unit] = lost


def _phase_grounded(v: Stranger, unit: str) -> None:
    _rectifier(0.35, 0.65, (0.9, 1.6))(v, unit)
    v.truth.clear[unit] = False


def _never(v: Stranger, element: str) -> None:
    v.truth.never.add(element)


def _unlevel(v: Stranger, battery: str) -> None:
    """Joined again a moment ago: it feeds those beside it while the drain is read."""
    v.truth.unlevel_v[battery] = float(v.rng.uniform(0.04, 0.15)) * v.volts / 12


def _belt_off(v: Stranger, unit: str) -> None:
    """Its shaft stands; with the key on its lamp is lit."""
    v.units[unit].most_a, v.units[unit].slip = 0.0, 1.0
    v.truth.belt_good[unit] = False


def _way_shorted(v: Stranger, way: str) -> None:
    v.truth.shorted.add(way)


def _slow(v: Stranger, _: str) -> None:
    v.truth.slow = True


ELSEWHERE = ("key_on", "cranking", "idle", "idle_loaded", "fast", "fast_loaded", "full_output")
RARE: dict[str, Fault] = {
    "missing": _missing,
    "intermittent": _comes_and_goes,
    "sulphated": _sulphated,
    "sense_resistance": _sense_resistance,
    "phase_grounded": _phase_grounded,
    "link_stays_open": _never,
    "converter_off": _never,
    "slow_engine": _slow,
}
"""What looks like something else, comes and goes, or is the test's own: cases of their own, see the yard."""

LATER: dict[str, Fault] = {"unlevel": _unlevel, "belt_off": _belt_off}
"""The same; cases of their own, so that those of the others keep their numbers."""

WORKED: dict[str, Fault] = {"resistance": _resistance, "open": _open, "way_shorted": _way_shorted}
"""Of what voltage works: ways of an isolator, and burnt contacts of a link; cases of their own, see `worked`."""

CONTACTS = ("fuse", "breaker", "switch", "relay")


def places(v: Stranger, kind: str) -> list[str]:
    """Where a fault of a kind can sit."""
    metal = {
        i: b for i, b in v.branches.items() if b["kind"] not in ("diode", "mosfet", "voltage_link") and b.get("closed", True)
    }
    if kind == "intermittent":
        return list(metal)
    if kind == "missing":
        return [i for i, b in metal.items() if b["kind"] in ("cable", "ground_strap")]
    if kind == "link_stays_open":
        return [i for i, b in v.branches.items() if b["kind"] == "voltage_link"]
    if kind == "converter_off":
        return [c["id"] for c in v.document["converters"]]
    if kind == "slow_engine":
        return [""]
    if kind == "unlevel":
        return v.tied()
    if kind == "phase_grounded":
        return [a["id"] for a in v.document["alternators"] if a["kind"] == "permanent_magnet"]
    wound = [a for a in v.document["alternators"] if a["kind"] != "permanent_magnet"]
    if kind == "resistance":
        return list(metal)
    if kind == "open":
        return [i for i, b in metal.items() if b["kind"] in CONTACTS]
    if kind in ("weak_battery", "drain"):
        return [b["id"] for b in v.document["batteries"]]
    if kind in ("dead_cell", "sulphated"):
        # The switch inside a lithium battery opens before one of its cells is dead.
        return [b["id"] for b in v.document["batteries"] if b["chemistry"] != "lifepo4"]
    if kind in ("sense_open", "sense_resistance"):
        return [a["id"] for a in wound if (a.get("sense_positive_node") or a["stud_node"]) != a["stud_node"]]
    return [a["id"] for a in wound]


def worked(v: Stranger, kind: str) -> list[str]:
    """Where a fault of a kind can sit in what voltage works: a link that stays open is a kind of its own, and has no way to short."""
    kinds = ("diode", "mosfet", "voltage_link") if kind == "resistance" else ("diode", "mosfet")
    return [i for i, b in v.branches.items() if b["kind"] in kinds]


def put(v: Stranger, kind: str, place: str) -> None:
    """Put a fault into a vehicle."""
    (FAULTS | RARE | LATER | WORKED)[kind](v, place)
    v.truth.causes = tuple(c for c in (*v.truth.causes, f"{kind}:{place}") if c != "none:")


def more_loads(v: Stranger) -> None:
    """Nothing is broken: there hangs more on it than anybody listed."""
    v.unlisted_a = float(v.rng.uniform(0.2, 0.5)) * v.document["alternators"][0]["rated_a"]
    # Either answer sends nobody to mend what is whole.
    v.truth.causes = ("none:", f"unlisted_load:{v.document['batteries'][0]['id']}")
