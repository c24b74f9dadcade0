"""Benchmarks: ratios within one run, so that they mean the same on any machine. ``make bench``."""
