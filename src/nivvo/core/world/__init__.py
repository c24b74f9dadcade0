"""One world with its bodies and projectiles, and the front doors to it.

``arena`` holds the arrays and runs ticks over them, ``study`` flies single shots by columns, ``seekers`` look for
targets, ``meetings`` tell which projectiles meet.
"""
