"""Where the milliohms of a job are: resistances fitted to its drop test, and put into its circuit."""

from __future__ import annotations

from sqlalchemy.orm import Session

from mavrik.core.circuit import Circuit
from mavrik.core.fitting import Fit, fit_resistances, with_fitted
from mavrik.core.network import NoOperatingPointError
from mavrik.core.topology import CircuitError
from mavrik.exchange.bundle import CircuitRole
from mavrik.jobs.errors import InvalidError, NotFoundError
from mavrik.jobs.people import Who
from mavrik.jobs.records import CircuitRecord, circuit_record, drop_test
from mavrik.jobs.work import get_row, latest, latest_test, note_change, save_circuit
from mavrik.store.models import CircuitVersion


def _fitted(session: Session, job_id: int) -> tuple[CircuitVersion, Fit]:
    row = get_row(session, job_id)
    version = latest(row.circuits, CircuitRole.AS_FOUND)
    test = latest_test(row.tests, row.circuits, CircuitRole.AS_FOUND)
    if version is None or test is None:
        raise NotFoundError("There is no drop test to fit resistances to.")
    try:
        return version, fit_resistances(Circuit.model_validate(version.document), drop_test(test))
    except CircuitError as error:
        raise InvalidError(str(error), error.problems) from error
    except (ValueError, NoOperatingPointError) as error:
        raise InvalidError(str(error)) from error


def fit_of(session: Session, job_id: int) -> Fit:
    """Resistances fitted to the latest drop test on the circuit as found. Raises NotFoundError without one."""
    return _fitted(session, job_id)[1]


def take_over(session: Session, job_id: int, who: Who) -> CircuitRecord:
    """Put what the readings told into the circuit, as its next revision; states and faults then start from it.

    Where it is in there already, nothing is saved and the circuit is returned as it is.
    """
    version, fit = _fitted(session, job_id)
    circuit = Circuit.model_validate(version.document)
    fitted = with_fitted(circuit, fit)
    if fitted == circuit:
        return circuit_record(version, frozen=True)
    record = save_circuit(session, job_id, fitted, who, lock=None, as_new_revision=True)
    note_change(session, job_id, who, "put measured resistances into the circuit")
    return record
