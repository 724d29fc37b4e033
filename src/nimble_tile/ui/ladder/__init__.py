"""The column of rungs, and what all rungs have in common."""
