"""The desk: the one place where the window's session, its figures, its moves and its player meet."""

from all_even.app.desk.desk import Desk

__all__ = ["Desk"]
