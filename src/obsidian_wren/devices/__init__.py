"""The ports on real hardware. The browser's microphone, and the sound server of a Linux desktop."""
