"""Moves of Space: places for the tracks, who goes where, until when they last, and what they must not hide.

All levels of returns are found on the sound: a return is just missed when it is muted (`figures.space.spaces`).
"""
