"""The bench: the close look at the selected lane, one panel per stage."""
