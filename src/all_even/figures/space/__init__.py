"""Returns: what they add, how long they ring, how far away each track stands."""
