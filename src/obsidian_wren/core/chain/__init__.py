"""The voice chain: stages with state, and the engine that runs them live and offline with the same
samples.

A stage is a small class: settings in, ``process(block) -> block``, and ``delay_samples``. Any block
size gives the same output.
"""
