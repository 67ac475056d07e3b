"""The circuit as found as a netlist for a circuit simulator, standing still."""

from __future__ import annotations

from mavrik.core.operating import State
from mavrik.domain.job import CircuitRole
from mavrik.exchange.bundle import Bundle
from mavrik.exchange.files.base import JobFile, Printing
from mavrik.exchange.spice import write_netlist


def _write(bundle: Bundle, _: Printing) -> bytes:
    as_found = bundle.latest(CircuitRole.AS_FOUND)
    if as_found is None:
        raise ValueError("There is no circuit yet: describe and save it first.")
    return write_netlist(as_found.document, State()).encode()


NETLIST = JobFile(50, "netlist.cir", "Circuit as a netlist (SPICE)", "-circuit.cir", "text/plain", _write)
