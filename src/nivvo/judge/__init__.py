"""Checks: what a case demands of its run, what was found, by how much, and what would change it."""
