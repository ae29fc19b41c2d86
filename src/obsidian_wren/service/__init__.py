"""Use cases: one function for each thing that a person does.

The only place where core, store and ports meet.
"""
