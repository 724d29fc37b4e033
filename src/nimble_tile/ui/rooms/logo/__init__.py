"""Rung 5: logos, what lies under them and what they cost."""
