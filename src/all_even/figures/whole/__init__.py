"""The mix as a whole: figures that no single move is fitted on, and what may not get worse."""
