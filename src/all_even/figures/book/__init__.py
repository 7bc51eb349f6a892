"""How figures keep themselves true: known by the sound they rest on, rendered once, kept.

`fingerprint` says what a figure rests on; `heard` holds what is measured while sound passes, in one pass for all
that listen; `kept` the sound of strips that did not change; `book` puts them together: ask it for a figure of
any session, and only what is not known yet is rendered. A `look` is how everybody asks.
"""
