"""Figures: on Matplotlib axes that are given, and as files."""
