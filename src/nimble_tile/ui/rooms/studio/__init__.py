"""The studio: pictures painted from words, made elsewhere, or drawn, tried beside each other."""
