"""What a program forked from here need not load again: the modules, the compiled kernels, used
once, and the sounds that everyone hears."""

from obsidian_wren.core.derive.plan import plan
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.standins import sounds
from obsidian_wren.web import app
from signals import RATE, room, voice

app.load()
_quiet, _talk = room(seconds=5.0), voice()[: 15 * RATE]
_talk = _talk + room(seconds=15.0)
_reading = read_quiet(_quiet, rate_hz=RATE)
plan(_reading, read_talk(_talk, rate_hz=RATE, quiet=_reading), _quiet, _talk)
sounds.music(RATE)
sounds.computer_sound(RATE)
for _who in ("editor", "crew"):
    sounds.far_voice(_who, RATE)
