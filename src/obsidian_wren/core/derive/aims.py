"""What the treated voice should land in, and what a person weighs: the preferences that the chain's
rules are given.

Loudness −18 LUFS for calls, a little under the −16 LUFS of spoken word on the web (EBU R 128 s2),
so that no heavy limiting is needed; ceiling −3 dBTP, so that a coder on the way has room; peaks −10
to −5 dBFS is the window practitioners aim the compressed voice at. The floor: 42 dB under the
voice, A-weighted, is where a room is not noticed behind speech any more.
"""

from __future__ import annotations

from dataclasses import dataclass

LOUDNESS_AIM_LUFS = -18.0
LOUDNESS_TOLERANCE_LU = 1.0
CEILING_DBTP = -3.0
FLOOR_UNDER_VOICE_DB = 42.0


# An equalizer that people still overlook, and any other program can take over.
MOST_BANDS = 8


@dataclass(frozen=True)
class Aims:
    """Loudness in LUFS and its tolerance, window for normal peaks in dBFS, ceiling in dBTP,
    widest loudness range in LU, highest floor behind the voice in dBFS(A), how far the room may
    rise beside the voice in dB."""

    loudness_lufs: float = LOUDNESS_AIM_LUFS
    tolerance_lu: float = LOUDNESS_TOLERANCE_LU
    peaks_dbfs: tuple[float, float] = (-10.0, -5.0)
    ceiling_dbtp: float = CEILING_DBTP
    range_lu: float = 8.0
    most_lift_db: float = 6.0

    @property
    def floor_dbfs_a(self) -> float:
        """The highest floor at the listener, A-weighted."""
        return self.loudness_lufs - FLOOR_UNDER_VOICE_DB


@dataclass(frozen=True)
class Taste:
    """Broad moves on top of the target, dB, −5 to 5 each: the corridor bends, the fit follows.
    ``density_db``, −2 to 2: how much narrower than usual the louder half of the speech is made."""

    warmth_db: float = 0.0
    body_db: float = 0.0
    clarity_db: float = 0.0
    air_db: float = 0.0
    density_db: float = 0.0


@dataclass(frozen=True)
class Preferences:
    """``cut_weight``: how much worse a cut word is than the same share of leaked room, 0 to 1
    (0.5: equally bad). ``shape``: how far the voice itself is brought to its target, 0 to 1; at 0
    only the rig is corrected."""

    aims: Aims = Aims()
    taste: Taste = Taste()
    cut_weight: float = 0.8
    shape: float = 0.0
