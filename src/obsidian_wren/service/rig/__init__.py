"""The rig in hand: its parts, its facts, its controls."""
