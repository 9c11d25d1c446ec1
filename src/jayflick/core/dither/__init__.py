"""Turning true colours into palette indices, calm from frame to frame."""
