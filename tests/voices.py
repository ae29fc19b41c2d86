"""The voice of a workshop that is simulated all around, in this process: what runs in it, and the
programs that hear it."""

from obsidian_wren.service.live.voice_link import link_of
from waiting import wait_until


def voice_of(ws):
    """The voice itself."""
    return link_of(ws)._asking._voice


def run_of(ws):
    """What it runs."""
    return voice_of(ws)._run


def program_of(ws, key):
    """The program of a listener."""
    return voice_of(ws)._simulated.program(key)


def heard_by(ws, key, seconds):
    """What a program hears from now on, for so long by its clock."""
    program = program_of(ws, key)
    start = program.position
    wait_until(lambda: program.position > start + seconds * program.rate_hz)
    return program.heard_since(start)
