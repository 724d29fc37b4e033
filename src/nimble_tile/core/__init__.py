"""Everything that computes. Nothing below here imports Qt."""
