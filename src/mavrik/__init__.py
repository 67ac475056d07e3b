"""Mavrik: a workbench for one vehicle charging circuit, from complaint to handover."""

__version__ = "0.1.0"
