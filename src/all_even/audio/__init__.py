"""Sound files, the decoded cache, and output devices."""
