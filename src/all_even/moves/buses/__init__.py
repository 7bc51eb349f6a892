"""Moves of the stage Buses: routings that are ready to start from."""
