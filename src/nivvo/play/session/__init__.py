"""The one loop: players act, triggers decide, shots leave, bodies move, projectiles fly; its cost, its copies."""
