"""Measurements that anyone can repeat: each prints a table of ratios taken in one run."""
