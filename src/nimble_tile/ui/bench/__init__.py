"""The middle of the window: the piece, lenses and hands."""
