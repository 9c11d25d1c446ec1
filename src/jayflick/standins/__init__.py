"""Simulated devices and hosts of the Saltmarsh Ferry, so that a file is proved before it leaves.

Each is a small process of its own with an HTTP interface and a page. They know nothing of the rest of the
program, and read files with Pillow alone: a fault of our own writers is not forgiven by our own readers. What
they refuse, and how long they take, is as devices of their kind do; none looks or speaks like a real one.
"""
