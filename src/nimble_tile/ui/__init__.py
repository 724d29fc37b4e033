"""The window: shows the core's results, turns gestures into edits of the piece."""
