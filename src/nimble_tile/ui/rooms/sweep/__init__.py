"""The window that sweeps settings."""
