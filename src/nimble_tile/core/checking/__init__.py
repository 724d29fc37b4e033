"""Checking anything: every code on images from anywhere, and what is known of it."""
