"""Moves of the stage Balance: faders and pan alone."""
