"""Time as exact whole numbers, from the source's rate to the unit a file format can hold."""
