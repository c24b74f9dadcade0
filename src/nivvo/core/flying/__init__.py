"""How a projectile goes on from a place: what acts on it there, whom it follows, and the steps of its flight.

A force is its fields in the row of a projectile's constants and one function in ``forces``.
"""
