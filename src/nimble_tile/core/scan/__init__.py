"""Readers, spare, fidelity and the verdict."""
