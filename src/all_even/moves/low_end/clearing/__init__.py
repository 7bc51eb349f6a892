"""EQ cuts that make room between kick and bass, and the room used."""
