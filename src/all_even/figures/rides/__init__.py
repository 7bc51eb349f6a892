"""Lines over their backing, word by word, and the sections of the song."""
