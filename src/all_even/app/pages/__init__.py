"""Pages that take the place of the work for a moment: settings, shortcuts, about."""
