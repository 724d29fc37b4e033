"""Writers that read back what they wrote."""
