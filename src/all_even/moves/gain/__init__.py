"""Moves of the stage Gain: sensible levels where something answers to level."""
