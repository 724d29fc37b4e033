"""Widgets and drawing that know no piece."""
