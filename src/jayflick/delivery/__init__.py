"""Sending files to a device or a host: the interface they speak, and what sends."""
