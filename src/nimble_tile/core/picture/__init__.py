"""Opening pictures, keeping their originals, placing the code on them."""
