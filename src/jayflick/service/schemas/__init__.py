"""The documents the API takes and gives."""
