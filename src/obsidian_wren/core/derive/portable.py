"""What of a calibration travels, and what belongs to the place where it was made.

Source: practice: how a voice should sound is a taste; how loud a room, a preamp and a mouth are is
measured where they stand.
"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from obsidian_wren.core.wording import _

# What is measured where the microphone stands, and why it does not travel.
PLACE: Mapping[tuple[str, str], str] = MappingProxyType(
    {
        ("highpass", "frequency_hz"): _("your lowest pitch and the rumble of your room"),
        ("hum", "mains_hz"): _("the mains where you are"),
        ("noise_reduction", "reduction_db"): _("your room's noise"),
        ("ring_reduction", "reduction_db"): _("your room and your distance"),
        ("gate", "threshold_dbfs"): _("your room's noise and your voice"),
        ("deesser", "threshold_dbfs"): _("your sibilants through your microphone"),
        ("compressor", "threshold_dbfs"): _("your levels"),
        ("compressor", "makeup_db"): _("your levels"),
        ("lowpass", "frequency_hz"): _("where your voice ends in the noise"),
    }
)
