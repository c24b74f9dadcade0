"""Words that people look for, and where that is in a drill, or that Nivvo does not do it."""

from __future__ import annotations

from collections.abc import Collection

ELSEWHERE = {
    "bounce bouncing ricochet reflect rebound": 'on.GROUP.then = "bounce", with restitution',
    "max_bounces bounce_count": 'on.GROUP.bounces; how many there were: happens = "bounced", with times',
    "jump_height jump_speed": "shooter.NAME.walk.jump",
    "pierce piercing penetrate penetration through": 'on.GROUP.then = "pass", with pierces',
    "stick sticky embed impale": 'on.GROUP.then = "lodge"; a controller\'s stick: aim.by = "stick"',
    "slide roll rolling": 'on.GROUP.then = "slide", or then = "bounce" with rests = "rolls"',
    "explode explosion explosive splash aoe area detonate": "on.GROUP.blast, or when.MOMENT.blast",
    "fuse timer detonator": "when.age.at, with what follows",
    "proximity": "when.near.within",
    "chaining chain_lightning leap leaps": 'on.GROUP.sends with along = "nearest"',
    "split cluster fragment fragments shrapnel spawn submunition children": "when.MOMENT.sends, or on.GROUP.sends",
    "missile seek seeking seeker home guided guidance track tracking steer": "flight.homing",
    "boomerang return returning recall": 'flight.homing.toward = "shooter"',
    "orbit orbiting satellite revolve": "flight.orbit",
    "weave wobble zigzag wave spiral sine helix": "flight.sway",
    "hitscan raycast ray laser beam instant": "flight.instant = true",
    "thrust rocket engine accelerate acceleration boost": "flight.thrust, or flight.push",
    "max_speed maxspeed terminal speed_limit": "flight.top_speed",
    "wind": "world.wind, felt through flight.drag",
    "gravity gravity_scale weight": "world.gravity, and flight.gravity_share of an ability",
    "lifetime ttl lifespan duration": "limits.life",
    "range max_range distance": "limits.reach",
    "max_count pool max_active": "limits.in_the_air",
    "spread spray pellets shotgun multishot": "launch.count, with fan, ring, cone or scatter",
    "angle pitch arc": "launch.elevation (degrees), or launch.arc to solve for it",
    "yaw rotation heading_angle": "shooter.NAME.facing, or aim.direction",
    "velocity force power strength": "launch.speed, or launch.velocity, launch.impulse",
    "muzzle offset spawn_point socket barrel": "shooter.NAME.muzzle.NAME, with forward, right and up",
    "mirror mirrored flip": "a muzzle mirrors by itself with its shooter's facing",
    "fire_rate firerate rpm rof": 'firing.rate, with firing.kind = "auto"',
    "cooldown delay recharge": "firing.cooldown",
    "charge hold windup": 'firing.kind = "charge", with full_after',
    "magazine clip": "firing.ammo and firing.reload",
    "damage_falloff": 'damage = { by = "flown", points = [[0, 30], [40, 10]] }',
    "impact_damage momentum_damage": 'damage = { by = "speed", points = [[5, 0], [40, 30]] }',
    "hp hitpoints life_points": "target.NAME.health",
    "resistance defense defence": "target.NAME.armour and soaks",
    "points": "on.GROUP.score",
    "layer mask collision collides filter collide": "group of a body, and on.GROUP of an ability",
    "sweep ccd continuous swept": 'tick.contacts = "swept"',
    "fps framerate timestep delta fixed_update": "tick.rate, or tick.frames",
    "integrator euler physics": "tick.motion",
    "record replay log": "nivvo fire --save FOLDER keeps all; track reads inputs back",
    "export": "nivvo fire --save FOLDER, with --save-format csv, json or parquet",
    "input button key controls": "case.NAME.input",
    "teleport warp dash grapple": "on.GROUP.blink, or when.MOMENT.blink, with speed to take its time",
    "portal gateway wormhole": "on.GROUP.anchor, with pairs_with and opens",
    "knock knockback push shove impulse_on_hit": "on.GROUP.knock, of what has a mass; blast.impulse",
    "hookshot drag_in": "on.GROUP.pull",
    "mark beacon_mark place attach": "on.GROUP.anchor",
    "burn poison bleed dot damage_over_time": "on.GROUP.lasting",
    "headshot hitbox hurtbox head limb": "target.NAME.parts, each with a group of its own",
    "weakspot weak_point backstab critical crit": 'damage = { by = "off_middle" } or { by = "from_front" }',
    "rigidbody dynamic movable": "target.NAME.mass, obstacle.NAME.mass",
    "respawn": "shooter.NAME.lives and back_after",
    "win victory lose defeat goal objective": "case.NAME.won, case.NAME.lost",
    "muzzle_flash": "when.fired",
    "recoil kickback": "Nivvo does not push the shooter; what has a mass: on.GROUP.knock, blast.impulse",
    "slow freeze stun status buff debuff": "Nivvo changes no body's way by a contact; its health: on.GROUP.lasting",
    "vortex attract magnet black_hole suck": "on.GROUP.pull, to the shooter; blast.impulse pushes away",
    "mine trap": 'on.GROUP.then = "lodge", with when.near or when.again',
    "arm arming armed": "when.age.sends, of an ability with launch.speed = 0 and when.near",
    "shield deflect": 'a group of its own, and on.GROUP.then = "bounce"',
    "turret": "aim.turn_rate",
    "tier tiers level levels": 'launch.speed = { by = "held", start, step, every, cap }',
    "waves spawner enemies": "target.NAME.wave",
    "sound audio sfx vfx shake": "cue.NAME: when it is heard and for how long; Nivvo plays nothing",
    "terrain heightmap heightfield ground hills landscape": "obstacle.NAME.shape.heights",
    "polyline fence edge_chain": "obstacle.NAME.shape.chain",
    "convex hull triangle concave mesh": "shape.polygon, convex; of several parts",
    "compound composite": "obstacle.NAME.parts, target.NAME.parts",
    "slope max_slope slope_limit": "shooter.NAME.walk.steepest",
    "stairs step_height stair": "shooter.NAME.walk.step",
    "hazard contact_damage touch_damage spikes melee": "target.NAME.on_shooter, obstacle.NAME.on_shooter",
    "swarm horde max_alive": "target.NAME.wave, with most",
    "rotate rotating spin_body angular door paddle": "obstacle.NAME.turns",
    "torque": "",
    "tilemap tiles": "",
    "animation sprite": "",
    "navmesh pathfinding": "",
    "formation squad escort": "target.NAME.move.beside, with offset",
    "wander roam": "target.NAME.move.drift, with speed",
    "follow pursue": "target.NAME.move.chase; what flies: flight.homing",
}
"""Words that people try, and the key that does it; "" for what Nivvo does not do."""

MEANT = {
    "hit hits touch touched struck strike impact collision": ("contact", "contacts"),
    "kill killed dead die died death destroyed cleared defeated": ("out", "kills"),
    "expire expired despawned": ("ended",),
    "explode exploded explosion detonated": ("burst",),
    "shot launched spawned": ("fired",),
    "shoot simulate run play": ("fired", "fire"),
    "spawn split": ("sent", "add"),
    "destroy delete despawn": ("remove", "ended"),
    "plot figure show": ("draw",),
    "export write": ("save",),
    "read open": ("load",),
    "test validate verify": ("check",),
    "update advance": ("step",),
    "position": ("place",),
    "trajectory predict": ("preview",),
    "teleported": ("blinked",),
    "bounces bounce": ("bounced",),
    "dps": ("damage_a_second",),
    "distance travel travelled": ("range",),
    "height max_height peak": ("apex",),
    "duration time_of_flight airtime": ("flight_time",),
    "landing landed": ("range", "came to rest"),
    "ttk": ("time_to_kill",),
    "hold keep stay": ("wait", "keep"),
    "release fire": ("let go",),
    "cancel": ("fizzle",),
    "all others all_others other any else default everything rest": ("anything",),
    "hp": ("health",),
    "from begin min minimum": ("start", "low", "min_hold", "at_least"),
    "least": ("min_hold", "low"),
    "target": ("body", "group"),
    "most": ("bounces", "times", "cap"),
    "to max maximum": ("end", "high", "at_most"),
    "for seconds": ("held", "lasts"),
    "about at around middle pivot": ("centre",),
}
"""Words that people try for a choice, a measure, a table, a call, and what is meant: the one of them that is there."""

_PLACES = {word: place for words, place in ELSEWHERE.items() for word in words.split()}

_MEANT = {word: meant for words, meant in MEANT.items() for word in words.split()}


def meant(word: object, words: Collection[str]) -> str | None:
    """Which of ``words`` is meant by another one that people use, or None."""
    return next((one for one in _MEANT.get(str(word).lower().replace(" ", "_"), ()) if one in words), None)


def elsewhere(word: object) -> str:
    """Where something is that goes by another word in a drill, in words, or ""."""
    low = str(word).lower().replace("-", "_")
    if low not in _PLACES:
        return ""
    return _PLACES[low] or f"Nivvo does not do that: {low} is not there"
