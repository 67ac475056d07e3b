"""The leads that are made as YAML."""

from __future__ import annotations

from mavrik.domain.job import DocumentKind
from mavrik.exchange.bundle import Bundle
from mavrik.exchange.files.base import JobFile, Printing
from mavrik.exchange.harness_yaml import harness_of, harness_to_yaml


def _write(bundle: Bundle, printing: Printing) -> bytes:
    return harness_to_yaml(harness_of(bundle)).encode()


HARNESS = JobFile(18, "harness.yaml", "The leads as YAML", ".harness.yaml", "application/yaml", _write, needs=DocumentKind.BUILD)
"""To be built elsewhere, and read back."""
