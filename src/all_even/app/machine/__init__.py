"""What this machine keeps for the window: preferences, recent sessions, the desktop's list."""
