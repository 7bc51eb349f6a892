"""The song: tempo, bars and sections, hits, tuning and timing, as measured and as put right by hand."""
