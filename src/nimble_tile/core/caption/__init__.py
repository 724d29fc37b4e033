"""Captions: text as outlines, beside the code, along a line, and the surround drawn round both."""
