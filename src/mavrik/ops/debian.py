"""Installing what is missing from Debian's packages."""

from __future__ import annotations

import os
import shutil
import subprocess

from mavrik.ops.base import OperationError, run, say

PDF_PACKAGES = ("libpango-1.0-0", "libpangoft2-1.0-0", "libharfbuzz-subset0", "fontconfig", "fonts-dejavu-core")
DATABASE_PACKAGES = ("postgresql",)
BROWSER_PACKAGES = ("chromium-headless-shell",)
"""Chromium without what draws its own windows: the same pages for a quarter less of the processors."""
SPICE_PACKAGES = ("ngspice",)
"""The independent solver that the tests and the benchmark hold ours against."""
PYTHON_PACKAGES = ("python3-venv",)


def _installed(package: str) -> bool:
    done = subprocess.run(["dpkg-query", "-W", "-f=${db:Status-Status}", package], capture_output=True, text=True, check=False)
    return done.stdout.strip() == "installed"


def ensure_packages(packages: tuple[str, ...], what: str) -> None:
    """Install the packages that are missing.

    packages: Debian package names
    what: what they are for, in words
    Raises OperationError with one line when a package is missing and cannot be installed from here.
    """
    if shutil.which("dpkg-query") is None:
        return  # Not Debian: whatever is missing shows itself where it is used.
    missing = [package for package in packages if not _installed(package)]
    if not missing:
        return
    prefix: list[str] = []
    if os.geteuid() != 0:
        can = shutil.which("sudo") and subprocess.run(["sudo", "-n", "true"], capture_output=True, check=False).returncode == 0
        if not can:
            raise OperationError(
                f"Missing for {what}: {' '.join(missing)}. Install with: sudo apt-get install {' '.join(missing)}"
            )
        prefix = ["sudo", "-n"]
    say(f"Installing {' '.join(missing)} for {what} ...")
    environment = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    install = [*prefix, "apt-get", "install", "-y", "--no-install-recommends", *missing]
    try:
        run(install, f"Installing {' '.join(missing)}", env=environment)
    except OperationError:
        # An old package list is the usual cause; fetch it once and try again.
        run([*prefix, "apt-get", "update"], "Reading Debian's package list", env=environment)
        run(install, f"Installing {' '.join(missing)}", env=environment)
