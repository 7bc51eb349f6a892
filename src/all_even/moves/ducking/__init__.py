"""Ducking: the bass gives way while the kick sounds and is back when it is gone.

Seven ways to do it (`methods`) and three controls, each fitted to one pair of tracks (`fit`) and judged
by the same figures (`measure.sharing.duck`). The engine's own processors do the ducking, at full rate, for what is
reported: what was fitted is what will sound.
"""

from all_even.moves.ducking.fit import Duck, Ducks, find_ducks

__all__ = ["Duck", "Ducks", "find_ducks"]
