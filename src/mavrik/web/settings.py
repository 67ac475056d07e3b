"""What the server is told by its environment."""

from __future__ import annotations

import os
import secrets
from dataclasses import dataclass, field
from pathlib import Path

STATIC = Path(__file__).parent / "static" / "app"


@dataclass(frozen=True)
class Settings:
    """Settings of one server."""

    database_url: str
    secret_key: str = field(default_factory=lambda: secrets.token_hex(32))
    workshop: str = "Workshop"
    demo: bool = False
    https: bool = False
    proxies: int = 0
    """How many proxies of our own stand before the server: so many of the addresses they add are believed, no more."""
    metrics_token: str = ""
    """Who knows it reads the metrics; empty: nobody does."""
    static: Path = STATIC

    @classmethod
    def from_environment(cls) -> Settings:
        """Read MAVRIK_DATABASE_URL, MAVRIK_SECRET_KEY, MAVRIK_WORKSHOP, MAVRIK_DEMO, MAVRIK_HTTPS, MAVRIK_PROXIES and MAVRIK_METRICS_TOKEN."""
        secret = os.environ.get("MAVRIK_SECRET_KEY")
        if not secret:
            raise RuntimeError("MAVRIK_SECRET_KEY is not set")
        return cls(
            database_url=os.environ["MAVRIK_DATABASE_URL"],
            secret_key=secret,
            workshop=os.environ.get("MAVRIK_WORKSHOP", "Workshop"),
            demo=os.environ.get("MAVRIK_DEMO") == "1",
            proxies=int(os.environ.get("MAVRIK_PROXIES", "0")),
            metrics_token=os.environ.get("MAVRIK_METRICS_TOKEN", ""),
            https=os.environ.get("MAVRIK_HTTPS") == "1",
        )
