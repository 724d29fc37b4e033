"""Searches that ask readers: the gentlest pass, mending, sweeps."""

GENTLEST_REACH = 0.97
"""Reach that the gentlest pass holds unless another is asked for."""

MENDED_REACH = 0.90
"""Reach that mending holds unless another is asked for."""

PROPOSED_REACH = 0.90
"""Reach that proposals hold unless another is asked for."""
