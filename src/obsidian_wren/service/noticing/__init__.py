"""It notices what happens to the rig while live: what is heard beside the voice, what is usual, and
what is told of it."""
