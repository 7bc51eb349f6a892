"""Moves: kinds that propose and make them, one folder a stage; metrics that judge them; the account of what was
made."""
