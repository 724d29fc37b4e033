"""The window that mends a finished picture."""
