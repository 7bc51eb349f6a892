"""The lanes: one painted view, the same rows through all stages; each stage paints its own bodies."""
