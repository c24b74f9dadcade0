"""Where a projectile meets bodies, and what holds it there; and writing down what happens.

search     the next contact on a piece of a path, through the grid
events     the rows in which what happens is written
opening    what goes through an opening between two marks
resting    what stays on a body, and what goes on along it
corners    what goes along two bodies at once
"""
