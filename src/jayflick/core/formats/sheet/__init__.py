"""Sheets: where each picture lies, the pixels a texture can hold, the file and its description."""
