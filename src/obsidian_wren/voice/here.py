"""A voice in the process of who asks it: where nothing real is heard, and nobody is to wait for
another process to begin."""

from __future__ import annotations

import msgspec

from obsidian_wren.voice import records
from obsidian_wren.voice.asking import VoiceRefused
from obsidian_wren.voice.engine import Voice
from obsidian_wren.voice.serving import answered


class Here:
    """Is asked as :class:`obsidian_wren.voice.asking.Asking` is, in the same records."""

    def __init__(self, voice: Voice) -> None:
        self._voice = voice
        self.met = self.status()

    def ask(self, request: records.Request) -> records.Answer:
        """Ask for something; gives what is answered. Raises VoiceRefused."""
        sent = msgspec.msgpack.encode(records.NumberedRequest(1, request))
        asked = msgspec.msgpack.decode(sent, type=records.NumberedRequest)
        answer = answered(self._voice, asked.request)
        if isinstance(answer, records.Refusal):
            raise VoiceRefused(answer.code, answer.sentence)
        return answer

    def status(self) -> records.Status:
        """How things stand."""
        return self._voice.status()

    def end_voice(self) -> None:
        """It ends."""
        self._voice.end()

    def close(self) -> None:
        """It ends with who asks it."""
        self._voice.end()
