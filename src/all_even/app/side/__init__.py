"""The side panel: moves, ledger, notes and versions, each in a file."""
