"""The demo session, made by code: a ferry's crew plays "Slack Water" for the passengers.

Everything is synthesised from a score; nothing was recorded and nobody real plays. What is wrong
with the files is planted and written down in `truth.json`, which the tests read.
"""
