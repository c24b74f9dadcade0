"""Shapes, and what lies between them: distances, first contacts, hulls that meet, what turns, the grid over bodies."""
