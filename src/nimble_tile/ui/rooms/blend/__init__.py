"""Rung 4: methods, guard and the gentlest pass."""
