"""First mix: from a folder to a mix, by the default moves of all stages in their order.

What has to be asked is asked first (`questions`); then stage by stage the moves are made (`following`), and what would
cost the whole too much is left out (`guarding`). What was found, assumed, made, left out and what became of it is a
`report`.
"""
