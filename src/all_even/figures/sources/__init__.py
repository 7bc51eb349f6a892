"""Which microphones belong to one source, and where the sources stand between left and right."""
