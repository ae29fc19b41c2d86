"""What a program forked from here need not load again: the modules, the compiled kernels, used
once, and the sounds that everyone hears."""

import scipy.optimize
import scipy.signal

from obsidian_wren.core.derive.plan import plan
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.service.export import sounds as heard
from obsidian_wren.service.live import living
from obsidian_wren.service.page import overview
from obsidian_wren.service.send import listeners, proving
from obsidian_wren.service.setup import confirming
from obsidian_wren.service.takes import simulated
from obsidian_wren.simulation import sounds
from signals import RATE, room, voice

_LOADED = (
    scipy.optimize,
    scipy.signal,
    heard,
    living,
    overview,
    listeners,
    proving,
    confirming,
    simulated,
)
_quiet, _talk = room(seconds=5.0), voice()[: 15 * RATE]
_talk = _talk + room(seconds=15.0)
_reading = read_quiet(_quiet, rate_hz=RATE)
plan(_reading, read_talk(_talk, rate_hz=RATE, quiet=_reading), _quiet, _talk)
sounds.music(RATE)
sounds.computer_sound(RATE)
for _who in ("editor", "crew"):
    sounds.far_voice(_who, RATE)
