"""The look, designed once: colours, type, icons, painting, small controls."""
