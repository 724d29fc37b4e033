"""Logos: their pixels made ready, what lies under them, and their place on the code."""
