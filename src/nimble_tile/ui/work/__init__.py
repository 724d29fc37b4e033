"""What goes on behind the window: the open piece, the workers, what is remembered."""
