"""The voice of an app that is simulated all around, in this process: what runs in it, and the
programs that hear it."""

from obsidian_wren.service.live.voice_link import link_of
from waiting import wait_until


def voice_of(app):
    """The voice itself."""
    return link_of(app)._asking._voice


def run_of(app):
    """What it runs."""
    return voice_of(app)._run


def program_of(app, key):
    """The program of a listener."""
    return voice_of(app)._simulated.program(key)


def heard_by(app, key, seconds):
    """What a program hears from now on, for so long by its clock."""
    program = program_of(app, key)
    start = program.position
    wait_until(lambda: program.position > start + seconds * program.rate_hz)
    return program.heard_since(start)
