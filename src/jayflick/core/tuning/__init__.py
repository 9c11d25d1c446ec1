"""What bytes buy: real encodings of an output, measured, and the search for one that fits a budget."""
