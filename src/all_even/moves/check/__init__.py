"""Moves of Check: what vanishes on another system is brought back, where that costs little elsewhere."""
