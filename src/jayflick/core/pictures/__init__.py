"""Reading picture files of every kind to straight 8-bit RGBA, with every way they can be wrong told apart."""
