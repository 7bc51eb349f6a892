"""Kick and bass: how they share the bottom of the mix."""
