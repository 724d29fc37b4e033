"""Searches that ask readers: the gentlest pass, mending, sweeps."""
