"""The window. It shows the session and emits edits; what is measured or decided lives in the core."""
