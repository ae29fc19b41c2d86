"""A room by the images of a source, beside a library that does the same."""

import numpy as np
import pyroomacoustics as pra
import pytest
from pyroomacoustics.directivities import CardioidFamily, DirectionVector

from obsidian_wren.simulation.image_sources import image_response, walls

RATE = 48_000


@pytest.mark.parametrize(
    ("size_m", "decay_s", "turned_deg"),
    [((5.2, 4.1, 2.6), 0.35, None), ((5.2, 4.1, 2.6), 0.2, 60.0), ((6.0, 5.0, 3.0), 0.3, 180.0)],
)
def test_a_response_is_that_of_the_library(size_m, decay_s, turned_deg):
    comes_back, deep = walls(decay_s, size_m)
    taken, order = pra.inverse_sabine(decay_s, size_m)
    assert deep == order
    assert comes_back**2 == pytest.approx(1.0 - taken)
    source, microphone = np.array([2.4, 1.9, 1.2]), np.array([2.1, 1.9, 1.2])
    room = pra.ShoeBox(size_m, fs=RATE, materials=pra.Material(taken), max_order=12)
    room.add_source(source)
    facing, directivity = None, None
    if turned_deg is not None:
        way = DirectionVector(azimuth=turned_deg, colatitude=90, degrees=True)
        directivity = CardioidFamily(orientation=way, p=0.5)
        turned = np.radians(turned_deg)
        facing = np.array([np.cos(turned), np.sin(turned), 0.0])
    room.add_microphone(microphone, directivity=directivity)
    room.compute_rir()
    theirs = room.rir[0][0]
    ours = image_response(
        np.array(size_m),
        source,
        microphone,
        facing=facing,
        comes_back=comes_back,
        order=12,
        rate_hz=RATE,
    )
    # Their scale differs from version to version.
    count = min(len(ours), len(theirs))
    ours, theirs = ours[:count], theirs[:count]
    scale = (ours @ theirs) / (theirs @ theirs)
    assert np.sum((ours - scale * theirs) ** 2) < 1e-3 * np.sum(ours**2)
