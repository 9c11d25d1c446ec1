"""Fitting the picture to its output: cropped, scaled, its soft edges settled."""
