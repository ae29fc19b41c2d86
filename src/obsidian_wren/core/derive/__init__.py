"""Rules: readings, rig, aims and pins into settings, each with the sentence that says why.

One rule, one file.
"""
