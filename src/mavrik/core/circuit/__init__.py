"""The circuit document, the kinds of branch, its graph and ring, the rules it must keep."""

from mavrik.core.circuit.branches import BRANCH_KINDS, AnyBranch, Branch, BranchBase, blank_branches
from mavrik.core.circuit.branches.body import BodyBranch
from mavrik.core.circuit.branches.breaker import BreakerBranch
from mavrik.core.circuit.branches.cable import CableBranch
from mavrik.core.circuit.branches.conductors import (
    LUG_JOINT_OHM,
    ConductorBranch,
    Termination,
    TerminationCondition,
    TerminationKind,
)
from mavrik.core.circuit.branches.connector import ConnectorBranch
from mavrik.core.circuit.branches.contacts import ContactBranch
from mavrik.core.circuit.branches.diode import DiodeBranch
from mavrik.core.circuit.branches.fuse import FuseBranch
from mavrik.core.circuit.branches.ground_strap import GroundStrapBranch
from mavrik.core.circuit.branches.joint import JointBranch
from mavrik.core.circuit.branches.mosfet import MosfetBranch
from mavrik.core.circuit.branches.relay import RelayBranch
from mavrik.core.circuit.branches.shunt import ShuntBranch
from mavrik.core.circuit.branches.switch import SwitchBranch
from mavrik.core.circuit.branches.voltage_link import LinkBranch
from mavrik.core.circuit.document import (
    CIRCUIT_SCHEMA_VERSION,
    MAX_BRANCHES,
    Alternator,
    AlternatorFault,
    Battery,
    BenchCharger,
    Chemistry,
    Circuit,
    Converter,
    Load,
    LoadKind,
    Node,
    NodeRole,
    as_sound,
)

__all__ = [
    "BRANCH_KINDS",
    "CIRCUIT_SCHEMA_VERSION",
    "LUG_JOINT_OHM",
    "MAX_BRANCHES",
    "Alternator",
    "AlternatorFault",
    "AnyBranch",
    "Battery",
    "BenchCharger",
    "BodyBranch",
    "Branch",
    "BranchBase",
    "BreakerBranch",
    "CableBranch",
    "Chemistry",
    "Circuit",
    "ConductorBranch",
    "ConnectorBranch",
    "ContactBranch",
    "Converter",
    "DiodeBranch",
    "FuseBranch",
    "GroundStrapBranch",
    "JointBranch",
    "LinkBranch",
    "Load",
    "LoadKind",
    "MosfetBranch",
    "Node",
    "NodeRole",
    "RelayBranch",
    "ShuntBranch",
    "SwitchBranch",
    "Termination",
    "TerminationCondition",
    "TerminationKind",
    "as_sound",
    "blank_branches",
]
