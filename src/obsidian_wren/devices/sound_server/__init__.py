"""A Linux desktop's sound server: PulseAudio, or PipeWire through the same protocol."""
