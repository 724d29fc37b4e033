"""Rung 1: what a scan says."""
