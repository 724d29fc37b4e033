"""One room a subject; rooms do not know one another."""
