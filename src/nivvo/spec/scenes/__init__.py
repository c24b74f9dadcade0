"""The models of a scene and of its cases: bodies, shooters, the world, the tick, values, inputs, checks, cues."""
