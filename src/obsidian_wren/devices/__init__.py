"""The ports on real hardware. So far the browser's microphone is the one real source."""
