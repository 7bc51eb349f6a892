"""Edits by hand: functions from a session to a session."""
