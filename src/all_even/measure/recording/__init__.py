"""All that is known of one file, and of files that belong together."""
