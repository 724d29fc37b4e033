"""Checking images from anywhere, and the phone test."""
