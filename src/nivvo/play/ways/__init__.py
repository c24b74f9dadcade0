"""Where a body is at any time: its motion in pieces that the core reads, the ways that make them, chases and flocks.

Nothing here knows of other bodies but where those are whom it follows.
"""
