"""Dynamics by intent: what a compressor, a gate or a shaper is for, fitted on the sound with the real kernel, and told
with all that it does besides. Each file is one intent.
"""
