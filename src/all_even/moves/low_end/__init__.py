"""Moves of the low end: who owns the bottom, room for kick and bass, the duck, and the sum under control.

The default list, in the order in which it was tested end to end: phase of microphones, fader, duck, dynamic clearing,
fader, limiter. The others are repairs, each on its own evidence, or tastes; they are made only where they are asked
for.
"""
