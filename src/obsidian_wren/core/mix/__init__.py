"""Feeds and the proof of what arrives where."""
