"""The link desk: its window, and what it tells the rung Message."""
