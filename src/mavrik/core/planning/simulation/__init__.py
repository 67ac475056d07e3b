"""Days and weeks of a use, on the network itself: charge, volts, amperes and temperature as they go, with a band for what is uncertain."""

from mavrik.core.planning.simulation.course import check_simulation, simulate, simulate_together
from mavrik.core.planning.simulation.day import day_of
from mavrik.core.planning.simulation.documents import MOST_POINTS, SimulationRequest, SimulationView

__all__ = ["MOST_POINTS", "SimulationRequest", "SimulationView", "check_simulation", "day_of", "simulate", "simulate_together"]
