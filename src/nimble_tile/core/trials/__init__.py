"""Trials: physical situations in which a camera looks at a code."""
