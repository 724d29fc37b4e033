"""Pixel art: begun from the code and a picture, drawn pixel by pixel on the bench."""
