"""Where a shot leaves from and which way: stance, aim, arc, what stands in the muzzle. One shot, at one moment."""
