"""The bass by itself: its tone, its notes, what a small speaker carries of it."""
