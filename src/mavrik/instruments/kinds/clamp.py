"""A current clamp, or a multimeter behind one."""

from mavrik.instruments.kinds.base import Client

CLAMP = Client("clamp", "MEAS:CURR:DC?")
