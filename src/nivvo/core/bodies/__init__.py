"""How bodies that are no projectiles go: what has a mass and is pushed, and who walks on what is there."""
