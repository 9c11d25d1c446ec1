"""Jay Flick: from numbered frames to small looping pictures that play right where they are going."""

__version__ = "0.1.0"
