"""Where the outside world's pictures are made, tried and chosen: painter and core together."""
