"""What is kept: one SQLite database and FLAC takes named by content, in one data folder that one
program owns at a time."""
