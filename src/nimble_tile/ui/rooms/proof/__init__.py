"""Band, trial wall and one trial large."""
