"""Open formats: sound files, calibrations, readings as JSON, microphone responses."""
