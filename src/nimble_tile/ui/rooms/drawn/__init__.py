"""Drawing by hand: the template goes out, the drawing comes back."""
