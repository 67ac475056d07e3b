"""Voltages and currents of any network of the trade, for one operating state or for thousands at once.

Modified nodal analysis. `elements` says what a network is made of, `assembly` which of it sits where and takes the nodes out
that only resistances touch, `batch` brings many states to rest at once, `solve` is what callers use.
"""

from mavrik.core.network.batch import Batch
from mavrik.core.network.elements import (
    Converter,
    CurrentSource,
    Diode,
    Element,
    EmfSource,
    Floats,
    Link,
    Mode,
    NoOperatingPointError,
    PowerLoad,
    RegulatedSource,
    Resistor,
    Solution,
    Solved,
    Values,
    values_of,
)
from mavrik.core.network.guards import merged
from mavrik.core.network.pieces import DROOP_OHM, AtRest
from mavrik.core.network.probes import Across, Probe, Probes, Through
from mavrik.core.network.solve import Moment, Network, network_of, solve_network

__all__ = [
    "DROOP_OHM",
    "Across",
    "AtRest",
    "Batch",
    "Converter",
    "CurrentSource",
    "Diode",
    "Element",
    "EmfSource",
    "Floats",
    "Link",
    "Mode",
    "Moment",
    "Network",
    "NoOperatingPointError",
    "PowerLoad",
    "Probe",
    "Probes",
    "RegulatedSource",
    "Resistor",
    "Solution",
    "Solved",
    "Through",
    "Values",
    "merged",
    "network_of",
    "solve_network",
    "values_of",
]
