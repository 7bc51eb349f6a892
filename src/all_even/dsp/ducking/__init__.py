"""Processors that follow hits known in advance: the ducker, and clicks to key others from."""
