"""What is there, and where it is at any time: the scene as records of the core, bodies, players, ways, ticks.

Nothing here aims, fires or steps the engine.
"""
