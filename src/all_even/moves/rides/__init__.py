"""Moves of Rides: phrases of a line brought to where the arrangement needs them, parts that step back for it, sections
that differ, single words thrown into an echo.
"""
