"""Destinations as data, and the check of a file against what one of them takes."""
