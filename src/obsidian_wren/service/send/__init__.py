"""The programs that listen, and the proof of what they get."""
