"""Work that may hang or die, in processes of its own."""
