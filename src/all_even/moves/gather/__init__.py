"""Moves of the stage Gather: put the material in order before anything is mixed."""
