"""Prove: fair comparisons, and what has changed since."""
