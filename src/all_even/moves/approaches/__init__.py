"""Moves of other ways of working: each is offered only where its approach is chosen (`session.model.approaches`)."""
