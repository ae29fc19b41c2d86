"""Takes in force, what was read from them, and what has changed since."""
