"""Pages of the code rung."""
