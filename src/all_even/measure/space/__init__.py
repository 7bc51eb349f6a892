"""Figures of rooms: of an impulse response, of a return in its song, of who stands where."""
