"""The project file, and the history of a piece."""
