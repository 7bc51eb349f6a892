"""What a track is: its role and class, how much it matters, its name, its range, its seat."""
