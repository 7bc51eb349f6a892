"""The finder: type what you want, Enter goes there or does it."""
