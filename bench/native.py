"""The same stages as a chain of a native C++ effects library."""

from __future__ import annotations

import pedalboard

BELLS = (
    (140, 2.0, 1.1),
    (260, -3.0, 1.4),
    (520, -2.0, 1.6),
    (1100, 1.5, 1.2),
    (2600, 2.5, 0.9),
    (4800, -2.0, 2.0),
)


def native() -> pedalboard.Pedalboard:
    # Its high-pass and low-pass are of first order, so two of each stand for one of second.
    stages = [
        pedalboard.HighpassFilter(80),
        pedalboard.HighpassFilter(80),
        pedalboard.NoiseGate(-48.0, 100.0, 1.0, 150.0),
    ]
    stages += [pedalboard.PeakFilter(*bell) for bell in BELLS]
    stages += [pedalboard.LowShelfFilter(110, 2.0, 0.7), pedalboard.HighShelfFilter(8000, 3.0, 0.7)]
    stages += [pedalboard.LowpassFilter(15_000), pedalboard.LowpassFilter(15_000)]
    return pedalboard.Pedalboard(
        [
            *stages,
            pedalboard.Compressor(-24.0, 3.0, 3.0, 120.0),
            pedalboard.Gain(11.0),
            pedalboard.Limiter(-3.0, 100.0),
        ]
    )
