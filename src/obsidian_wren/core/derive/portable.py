"""What of a calibration travels, and what belongs to the place where it was made.

Source: practice: how a voice should sound is a taste; how loud a room, a preamp and a mouth are is
measured where they stand.
"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from obsidian_wren.core.wording import worded

# What is measured where the microphone stands, and why it does not travel.
PLACE: Mapping[tuple[str, str], str] = MappingProxyType(
    {
        ("highpass", "frequency_hz"): worded("your lowest pitch and the rumble of your room"),
        ("hum", "mains_hz"): worded("the mains where you are"),
        ("noise_reduction", "reduction_db"): worded("your room's noise"),
        ("ring_reduction", "reduction_db"): worded("your room and your distance"),
        ("gate", "threshold_dbfs"): worded("your room's noise and your voice"),
        ("deesser", "threshold_dbfs"): worded("your sibilants through your microphone"),
        ("compressor", "threshold_dbfs"): worded("your levels"),
        ("compressor", "makeup_db"): worded("your levels"),
        ("lowpass", "frequency_hz"): worded("where your voice ends in the noise"),
    }
)
