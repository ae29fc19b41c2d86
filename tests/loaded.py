"""What a program forked from here need not load again: the modules, and the compiled kernels, used once."""

from obsidian_wren.core.derive.plan import plan
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.web import app
from signals import RATE, room, voice

app.load()
_quiet, _talk = room(seconds=5.0), voice()[: 15 * RATE]
_talk = _talk + room(seconds=15.0)
_reading = read_quiet(_quiet, rate_hz=RATE)
plan(_reading, read_talk(_talk, rate_hz=RATE, quiet=_reading), _quiet, _talk)
