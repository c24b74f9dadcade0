"""What follows in a session, each rule in a file of its own: effects, meetings, touches of shooters, doors, goals.

A rule acts on a session through what ``playing.Playing`` offers; it steps nothing.
"""
