"""The head of the window: the path of stages, what is next, playing and the song."""
