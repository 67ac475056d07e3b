"""An oscilloscope, for a peak-to-peak value; its waveform is `mavrik.instruments.scope`."""

from mavrik.instruments.kinds.base import Client

OSCILLOSCOPE = Client("oscilloscope", "MEAS:VOLT:PTP?")
