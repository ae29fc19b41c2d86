"""Opening a data folder, and putting right what lies in it."""
