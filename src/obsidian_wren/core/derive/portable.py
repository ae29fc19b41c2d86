"""What of a calibration travels, and what belongs to the place where it was made.

Source: practice: how a voice should sound is a taste; how loud a room, a preamp and a mouth are is
measured where they stand.
"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from obsidian_wren.core.wording import worded

# How a stage behaves, as against where it works: what comes over with a person.
CHARACTER: Mapping[str, tuple[str, ...]] = MappingProxyType(
    {
        "gate": ("ratio", "attack_ms", "hold_ms", "release_ms"),
        "deesser": ("ratio", "q"),
        "leveller": ("speed_db_per_s",),
        "compressor": ("ratio", "knee_db", "attack_ms", "release_ms"),
        "colour": (
            "drive_db",
            "harmonics",
            "echo_ms",
            "echo",
            "room_s",
            "room",
            "plate",
            "ring_hz",
            "ring",
        ),
        "limiter": ("release_ms",),
    }
)
# Stages whose being on or off is a taste where a person held it.
SWITCHED_BY_TASTE = ("lowpass", "deesser", "leveller", "compressor", "colour")
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
