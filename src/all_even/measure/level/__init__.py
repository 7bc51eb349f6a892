"""Levels: how loud, how high, how wide, in which bands."""
