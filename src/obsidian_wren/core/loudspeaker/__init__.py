"""What the loudspeaker plays, taken out of the microphone before the chain."""
