"""The sound system of this computer, what of it is there; and how its voice is begun."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING

from obsidian_wren.core.wording import _

if TYPE_CHECKING:
    from obsidian_wren.ports.system_sound import SystemSound


def own_system() -> SystemSound:
    """The sound server of a Linux desktop; elsewhere PortAudio, where it is installed."""
    from obsidian_wren.ports.nothing import NoSystem

    try:
        if sys.platform.startswith("linux"):
            from obsidian_wren.devices.sound_server.control import SoundServer

            return SoundServer()
        import sounddevice

        from obsidian_wren.devices.portaudio.system import PortAudioSystem

        return PortAudioSystem(sounddevice)
    except (ImportError, OSError):
        # The packages look for their libraries when they are imported.
        if sys.platform.startswith("linux"):
            return NoSystem(
                "no-library",
                _(
                    "The sound server's library is missing. Install Debian's libpulse0, then"
                    " start the program again."
                ),
            )
        return NoSystem(
            "no-portaudio",
            _(
                "PortAudio is missing. Install it with pip install 'obsidian-wren[portaudio]',"
                " then start the program again."
            ),
        )


def voice_command() -> tuple[str, ...]:
    """The process of the voice; its socket is added."""
    return (sys.executable, "-P", "-m", "obsidian_wren.cli.voice")


def simulated_voice_command() -> tuple[str, ...]:
    """The same where all around is simulated."""
    return (sys.executable, "-P", "-m", "obsidian_wren.cli.simulated_voice")
