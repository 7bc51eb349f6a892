"""What of a track arrives in the mix: its level at every point, its spectrum, its way through the buses."""
