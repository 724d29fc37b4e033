"""Hundreds and thousands of codes in one look: rows in, files and a report out."""
