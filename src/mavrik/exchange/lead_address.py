"""What the code on a lead's label says."""

from __future__ import annotations

import re
from urllib.parse import quote, unquote

_PATH = re.compile(r"(?:^|/)lead/([^/?#]{1,60})/([a-z][a-z0-9_]{0,39})$")


def lead_address(base: str, job_number: str, branch_id: str) -> str:
    """What the code on a label says: where the lead's page is.

    base: of the workshop's server, as a browser reaches it; empty: not known, the code is read by the program alone

    >>> lead_address("http://bench.example:8642/", "26-0003", "charge_cable")
    'http://bench.example:8642/lead/26-0003/charge_cable'
    """
    return f"{base.rstrip('/')}/lead/{quote(job_number, safe='')}/{branch_id}"


def lead_at(address: str) -> tuple[str, str] | None:
    """The job's number and the lead of a code; None for a code of something else.

    address: what was read, from whichever server it was printed

    >>> lead_at("http://bench.example:8642/lead/26-0003/charge_cable"), lead_at("http://bench.example/charge_cable")
    (('26-0003', 'charge_cable'), None)
    """
    match = _PATH.search(address.strip())
    return (unquote(match[1]), match[2]) if match else None
