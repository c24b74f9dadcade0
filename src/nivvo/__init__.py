"""Nivvo."""
