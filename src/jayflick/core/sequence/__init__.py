"""Finding numbered frames, judging them and reading their pictures."""
