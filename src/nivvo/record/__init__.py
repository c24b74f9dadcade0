"""What happened: the words for it, and the paths that were flown.

Nothing here fires or decides. The engine writes codes and numbers; what they are called, and whether an end is a
landing, stands in ``vocabulary`` alone, so nobody reads a sentence to learn what happened.
"""
