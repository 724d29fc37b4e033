"""The draft shelf and its comparison."""
