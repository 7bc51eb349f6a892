"""How loudness moves in time: units of a line, punch of hits, and what a compressor does besides."""
