"""A session on disk and over time: its file, older formats, checks, recovery, history and ledger."""
