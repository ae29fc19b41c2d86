"""The sound of a system through PortAudio, for macOS and Windows."""
