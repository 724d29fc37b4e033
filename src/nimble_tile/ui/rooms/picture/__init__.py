"""Rung 3: place, frame, tones and cut-out of the picture."""
