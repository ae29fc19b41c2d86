"""Takes into readings: levels, loudness, spectrum, hum, speech, noise.

Each module is one standard or one question.
"""
