"""The voice: microphone, chain, mixes, feeds, block by block, and nothing that holds them up."""
