"""Which track masks which."""
