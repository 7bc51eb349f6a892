"""Processors of tone: equaliser, high-pass and low-pass, saturation, sub-octave."""
