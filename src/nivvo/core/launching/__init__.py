"""What a launch comes to: muzzles, sticks, spreads, parabolas, arcs that are solved for, also through the air."""
