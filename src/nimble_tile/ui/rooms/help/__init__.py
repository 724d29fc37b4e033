"""Finding one's way: actions by name, shortcuts, steps of undo, handbook, tour, preferences."""
