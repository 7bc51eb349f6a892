"""How tracks share the spectrum and the bottom."""
