"""Figures of a session: how loud, how masked, how wide, how far away each track is in this mix, known by what they rest
on."""
