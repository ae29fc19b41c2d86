"""A calibration as it is carried: as a file, in versions, from one place to another."""
