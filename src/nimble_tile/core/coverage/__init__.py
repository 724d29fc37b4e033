"""What logos and captions cost: coverage counted in codewords, the largest logo that holds."""
