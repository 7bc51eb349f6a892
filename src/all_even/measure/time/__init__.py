"""Time: hits and what is left of them, beats, sections."""
