"""The ladder's rungs: one module each, showing and editing one part of the piece."""
