"""The piece as it will be printed: inks, trials on paper, the test sheet."""
