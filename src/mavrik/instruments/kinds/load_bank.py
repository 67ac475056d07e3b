"""A load bank."""

from mavrik.instruments.kinds.base import Client

LOAD_BANK = Client("load_bank", "MEAS:CURR?")
