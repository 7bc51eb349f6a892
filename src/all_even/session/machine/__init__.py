"""What this machine knows beside sessions: templates, references."""
