"""The alternator's drive: what a pulley does to shaft speed and output, between what the belt, the unit and the owner allow."""

from mavrik.core.planning.drive.documents import DriveProblemError, DriveReading, DriveRequest, DriveView
from mavrik.core.planning.drive.plan import drive_in, plan_drive, unit_in
from mavrik.core.planning.drive.turning import slowest_shaft_rpm

__all__ = [
    "DriveProblemError",
    "DriveReading",
    "DriveRequest",
    "DriveView",
    "drive_in",
    "plan_drive",
    "slowest_shaft_rpm",
    "unit_in",
]
