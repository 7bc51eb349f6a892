"""What commands do: the verbs of the window."""
