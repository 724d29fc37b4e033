"""Parts of scenes: each is drawn on the stage over what is there already."""
