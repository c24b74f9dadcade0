"""A session in time: players act, triggers decide, shots leave, bodies move, projectiles fly; kept as a Run.

A case fired is a session fed by its track, ``Live`` one fed by somebody's game: there is one loop. No figures, no
checks, nothing printed; files are read where the drill names them (frame times, tracks), written by ``Live.save`` only.
"""
