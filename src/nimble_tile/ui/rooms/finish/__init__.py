"""Rung 6: captions, frame, layout, size and export."""
