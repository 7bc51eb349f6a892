"""What leaves the house: the mix as a file, and the recall sheet."""
