"""Many codes in the open piece's look: a table of rows, its faults, its making."""
