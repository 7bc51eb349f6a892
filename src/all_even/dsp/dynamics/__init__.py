"""Processors of dynamics: compressors, gate, limiter, transient shaper, dynamic equaliser."""
