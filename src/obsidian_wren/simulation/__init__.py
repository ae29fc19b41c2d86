"""The simulated world: a talker in a room, a microphone, an interface, a call and a recorder.

It ships with the program.

The truth of a world (its microphone's response, its noise levels) is known to it and to tests,
never to the rules.
"""
