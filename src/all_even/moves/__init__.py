"""Moves: what the program proposes, stage by stage, with evidence, expectation and result."""
