"""Processors and their parameters: one file per kind, compiled kernels beside their parameters."""
