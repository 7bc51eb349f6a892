"""Building blocks: second-order sections, how they are run, and how a sound is split into bands."""
