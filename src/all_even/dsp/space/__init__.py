"""Processors of space: reverb, room, convolution, echo, doubling, widener."""
