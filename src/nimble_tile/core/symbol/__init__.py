"""The QR symbol: numbers of the standard, anatomy, encoding."""
