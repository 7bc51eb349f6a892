"""The session as one immutable value, the edits on it, its history and its file."""
