"""Playing: an engine thread mixes ahead into a ring, the device empties it; edits go back to what nobody has heard
yet."""
