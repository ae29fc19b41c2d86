"""Situations: one calibration, decided otherwise for another occasion."""
