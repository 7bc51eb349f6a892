"""A stage for a test: what a new stage's two folders hold."""
