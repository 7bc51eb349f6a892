"""Rides: phrases and words of a line, how far each lies over its backing, and the curve that brings them together."""
