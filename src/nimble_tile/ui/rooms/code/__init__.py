"""Rung 2: symbol, steering and look."""
