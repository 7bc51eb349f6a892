"""Pitch: of kicks and notes, how in tune, how even."""
