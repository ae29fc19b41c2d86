"""What leaves the program: calibration files, responses, sounds."""
