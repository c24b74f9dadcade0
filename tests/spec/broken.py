"""Drill files that are wrong, each with words that its message must have so that the writer can mend it."""

GOOD = """nivvo = 1
[shooter.keeper]
at = [0, 1]
muzzle.hand.forward = 0.8
[obstacle.wall]
shape.wall = [[14, 0], [14, 3]]
[target.wisp]
at = [32.5, 1.5]
group = "wisps"
[ability.flare]
launch.speed = 18
launch.elevation = 40
[case.tap]
check = [{ hits = "wisp" }]
"""


def plus(text):
    """The good drill and some lines more."""
    return GOOD + text


def instead(old, new):
    """The good drill with something in place of something."""
    assert old in GOOD, old
    return GOOD.replace(old, new)


BROKEN = {
    # Not a drill at all.
    "empty": ("", ["is empty", "nivvo = 1"]),
    "only a comment": ("# nothing\n", ["is empty"]),
    "no version": (GOOD.replace("nivvo = 1\n", ""), ["nivvo", "is missing", "nivvo = 1"]),
    "other version": (instead("nivvo = 1", "nivvo = 2"), [":1", "nivvo", "1"]),
    "version as text": (instead("nivvo = 1", 'nivvo = "1"'), [":1", "nivvo"]),
    "no ability": ("nivvo = 1\n[target.wisp]\nat = [1, 2]\n", ["no ability", "launch.speed"]),
    "grammar": (plus("[case.b\n"), [":15", "TOML"]),
    "key twice": (plus("[case.tap]\n"), [":15", "TOML"]),
    "no value": (plus("[case.b]\nlasts =\n"), [":16", "TOML"]),
    "brackets": ("nivvo = 1\na = " + "[" * 5000, [":2", "nest deeper"]),
    "braces": ("nivvo = 1\na = " + "{a=" * 5000, [":2", "nest deeper"]),
    "endless key": ("nivvo = 1\n" + ".".join("a" * 8000) + " = 1\n", [":2", "more than 16 parts"]),
    "number beyond measure": (plus("[case.b]\nlasts = " + "9" * 5000 + "\n"), ["number"]),
    # Numbers.
    "nan": (instead("speed = 18", "speed = nan"), [":11", "ability.flare.launch.speed", "nan"]),
    "infinite": (instead("speed = 18", "speed = inf"), [":11", "launch.speed", "inf"]),
    "negative speed": (instead("speed = 18", "speed = -18"), [":11", "at least 0", "-18"]),
    "speed as text": (instead("speed = 18", 'speed = "18"'), [":11", "a number", '"18"']),
    "speed as truth": (instead("speed = 18", "speed = true"), [":11", "a number", "true"]),
    "speed as date": (instead("speed = 18", "speed = 2026-01-01"), [":11", "a number"]),
    "huge speed": (instead("speed = 18", "speed = 1e300"), [":11", "at most 1e+12"]),
    "no speed": (instead("launch.speed = 18\n", ""), ["ability.flare.launch.speed", "is missing", "units/s"]),
    "steep": (instead("elevation = 40", "elevation = 140"), [":12", "at most 90", "140"]),
    "nan place": (instead("at = [32.5, 1.5]", "at = [nan, 1.5]"), [":8", "target.wisp.at[0]", "nan"]),
    "negative size": (plus("[target.b]\nat = [1, 1]\nshape.ball = -0.5\n"), [":17", "greater than 0"]),
    "negative gravity": (plus("[world]\ngravity = -9.81\n"), [":16", "world.gravity", "at least 0"]),
    "negative life": (instead("launch.speed", "limits.life = -1\nlaunch.speed"), ["limits.life", "-1", "86400"]),
    "life as words": (instead("launch.speed", 'limits.life = "long"\nlaunch.speed'), ["limits.life", '"long"', "90 ticks"]),
    "endless ticks": (instead("launch.speed", 'limits.life = "999999999 ticks"\nlaunch.speed'), ["limits.life", "5,000,000"]),
    "10^9 ticks a second": (plus("[tick]\nrate = 1e9\n"), [":16", "tick.rate", "at most 100000"]),
    "10^9 ticks in a case": (plus("lasts = 86400\n[tick]\nrate = 100000\n"), ["case.tap.lasts", "5,000,000 ticks"]),
    "flies forever": (instead("launch.speed", 'limits.life = "forever"\nlaunch.speed'), ["fly forever", "bounds"]),
    "whole number": (plus("[world]\nseed = 1.5\n"), ["world.seed", "whole number"]),
    # Keys.
    "unknown key": (instead("launch.speed", "launch.sped"), [":11", "launch.sped", "unknown key", "speed, elevation", "did you mean speed"]),
    "key in the wrong table": (plus("[ability.b]\nspeed = 3\n"), [":16", "ability.b.speed", "belongs in ability.NAME.launch"]),
    "key of another word": (instead("launch.speed", "gravity = 2\nlaunch.speed"), ["world.gravity, and flight.gravity_share of an ability"]),
    "unknown table": (plus("[abilty.b]\nlaunch.speed = 3\n"), [":15", "abilty", "did you mean ability"]),
    "unknown shape": (plus("[target.b]\nat = [1, 1]\nshape.sphere = 1\n"), [":17", "sphere", "ball"]),
    "two shapes": (plus("[target.b]\nat = [1, 1]\nshape = { ball = 1, box = [1, 1] }\n"), [":17", "exactly one", "ball and box"]),
    "no shape": (plus("[obstacle.b]\nat = [1, 1]\n"), ["obstacle.b", "needs shape, or parts"]),
    "empty shape": (plus("[target.b]\nat = [1, 1]\nshape = {}\n"), [":17", "exactly one", "none"]),
    "radius of a ball": (plus("[target.b]\nat = [1, 1]\nshape = { ball = 1, radius = 2 }\n"), [":17", "radius is for a capsule"]),
    "wall without length": (plus("[obstacle.b]\nshape.wall = [[1, 1], [1, 1]]\n"), [":16", "one point"]),
    "wall of one end": (plus("[obstacle.b]\nshape.wall = [[1, 1]]\n"), [":16", "at least 2 values"]),
    "capsule without radius": (plus("[obstacle.b]\nshape.capsule = [[0, 0], [1, 1]]\n"), ["capsule needs radius"]),
    "projectile as box": (instead("launch.speed", "shape.box = [1, 1]\nlaunch.speed"), ["a projectile is a ball"]),
    "unknown choice": (plus('[tick]\nmotion = "semi"\n'), [":16", "tick.motion", "semi-implicit", "verlet"]),
    "unknown aim": (instead("launch.speed", 'aim.by = "mouse"\nlaunch.speed'), ["aim.by", "cursor", "facing"]),
    "aim without direction": (instead("launch.speed", 'aim.by = "fixed"\nlaunch.speed'), ["needs direction"]),
    "direction of a cursor": (instead("launch.speed", "aim.direction = 20\nlaunch.speed"), ["direction is for aim", "fixed"]),
    "bad name": (plus('[target."1 wisp"]\nat = [1, 1]\n'), ["a letter, then letters"]),
    "table as number": ("nivvo = 1\nability = 3\n", [":2", "ability", "[ability.NAME]"]),
    "list as number": (instead("at = [32.5, 1.5]", "at = 32.5"), [":8", "a list"]),
    # Views.
    "three numbers in 2D": (instead("at = [32.5, 1.5]", "at = [32.5, 1.5, 0]"), [":8", "2 numbers", "[x, y]"]),
    "two numbers in 3D": (plus('[world]\nview = "space"\n'), ["target.wisp.at", "3 numbers", "[x, y, z]"]),
    "y in space": (plus('[world]\nview = "space"\ny = "up"\n'), ["y is for side and top"]),
    "up in a side view": (plus('[world]\nup = "+z"\n'), ['up is for view = "space"']),
    "up and forward on one axis": (plus('[world]\nview = "space"\nup = "+x"\nforward = "-x"\n'), ["lie on one axis"]),
    "gravity from above": (plus('[world]\nview = "top"\ngravity = 9\n'), ["no vertical", "height = true"]),
    "right in a side view": (instead("hand.forward", "hand.right = 1\nmuzzle.hand.forward"), ["no right"]),
    "facing up in a side view": (instead("at = [0, 1]", 'at = [0, 1]\nfacing = "up"'), ['"left", "right"', '"up"']),
    "bounds upside down": (plus("[world]\nbounds = [[0, 0], [-1, 5]]\n"), [":16", "below the second"]),
    "rate and frames": (plus("[tick]\nrate = 60\nframes = [0.016]\n"), ["rate or frames"]),
    "frames that are not there": (plus('[tick]\nframes = "frames.csv"\n'), ["frames.csv", "cannot be read"]),
    "an anchor that fits nowhere": (
        plus("[ability.hook]\nlaunch.speed = 9\non.wisps.anchor.size = 30\n"),
        ["on.wisps.anchor.size", "fits nowhere", "needs 60"],
    ),
    # Names that do not meet.
    "hits nobody": (instead('hits = "wisp"', 'hits = "wips"'), [":14", "case.tap.check[0].hits", '"wips"', "did you mean wisp"]),
    "unknown muzzle": (instead("launch.speed", 'muzzle = "hnad"\nlaunch.speed'), [":11", "did you mean hand"]),
    "unknown shooter": (instead("launch.speed", 'shooter = "keper"\nlaunch.speed'), ["did you mean keeper"]),
    "unknown group": (instead("launch.speed", "on.wips.damage = 3\nlaunch.speed"), [":11", "on.wips", "did you mean wisps"]),
    "body as group": (instead("launch.speed", "on.wisp.damage = 3\nlaunch.speed"), ["wisp is a body", "wisps"]),
    "button of nobody": (plus('input = [{ t = 0, tap = "throw" }]\n'), [":15", "throw", "fire"]),
    "unknown ability in hand": (plus('ability = "flar"\n'), ["did you mean flare"]),
    "no cursor": (instead("launch.speed", 'aim.by = "cursor"\nlaunch.speed'), ["no cursor", "cursor = [10, 2]"]),
    "one name twice": (plus("[target.wall]\nat = [1, 1]\n"), [":15", "the name is taken", "obstacle wall"]),
    "reserved group": (plus('[target.b]\nat = [1, 1]\ngroup = "anything"\n'), ["reserved word"]),
    "like nobody": (plus('[ability.b]\nlike = "flar"\n'), [":16", "did you mean flare"]),
    "like itself": (plus('[ability.b]\nlike = "b"\n'), ["circle", "b -> b"]),
    "like in a circle": (plus('[ability.b]\nlike = "c"\n[ability.c]\nlike = "b"\n'), ["circle"]),
    "without nothing": (plus('[ability.b]\nlike = "flare"\nwithout = ["launch.spin"]\n'), [":17", "launch.spin is not set"]),
    "set of nobody": (plus('set = { "ability.flar.launch.speed" = 3 }\n'), [":15", "did you mean flare"]),
    "set out of range": (plus('set = { "ability.flare.launch.speed" = -3 }\n'), [":15", "at least 0"]),
    "set a check": (plus('set = { "case.tap.lasts" = 3 }\n'), [":15", "a case sets keys of"]),
    "use itself": (plus("").replace("nivvo = 1", 'nivvo = 1\nuse = ["drill.toml"]'), [":2", "circle"]),
    "use nothing there": (plus("").replace("nivvo = 1", 'nivvo = 1\nuse = ["gone.toml"]'), [":2", "gone.toml", "no such file"]),
    "use a number": (plus("").replace("nivvo = 1", "nivvo = 1\nuse = 3"), [":2", "list of file names"]),
    # Inputs and checks.
    "no verb": (instead('{ hits = "wisp" }', "{ before = 3 }"), [":14", "exactly one verb", "hits, misses, lands"]),
    "two verbs": (instead('{ hits = "wisp" }', '{ hits = "wisp", misses = "wall" }'), ["exactly one verb", "hits and misses"]),
    "a bounce of what": (instead("launch.speed", 'on.anything.then = "bounce"\nlaunch.speed'), ["ability.flare.on.anything", "needs restitution"]),
    "more than all": (instead("launch.speed", 'on.anything = { then = "bounce", restitution = 1.1 }\nlaunch.speed'), ["on.anything.restitution", "at most 1"]),
    "friction of an end": (instead("launch.speed", "on.anything.friction = 0.2\nlaunch.speed"), ["friction is for then", "bounce"]),
    "no bounces": (instead("launch.speed", 'on.anything = { then = "bounce", restitution = 1, bounces = 0 }\nlaunch.speed'), ["bounces", "at least 1"]),
    "a bounce for ever": (instead("launch.speed", 'limits.life = "forever"\nworld.bounds = [[-9, -9], [90, 90]]\non.anything = { then = "bounce", restitution = 1 }\nlaunch.speed').replace("\nworld.bounds = [[-9, -9], [90, 90]]", "") + "\n[world]\nbounds = [[-9, -9], [90, 90]]\n", ["limits.life", "stay forever"]),
    "an old name": (instead("launch.speed", "inherit = 1\nlaunch.speed"), ["ability.flare.inherit", "is now called inherit_velocity"]),
    "an old name of a needed key": (instead("launch.speed", "firing.heat = { a_shot = 0.1, cooling = 1 }\nlaunch.speed"), ["heat.a_shot", "is now called per_shot"]),
    "an old name of a row": (plus('input = [{ t = 0, hold = "fire", lasts = 1 }]\n'), ["input[0].lasts", "is now called held"]),
    "an old name of a number": (instead("= 18", '= { by = "random", mean = 9, sd = 1 }'), ["is now called deviation"]),
    "key of another verb": (instead('{ hits = "wisp" }', '{ hits = "wisp", margin = 2 }'), ["margin does not go with hits"]),
    "measure nothing": (instead('{ hits = "wisp" }', '{ measure = "damage" }'), ["equals, at_least or at_most"]),
    "measure the unknown": (instead('{ hits = "wisp" }', '{ measure = "damge", equals = 1 }'), ["damage", "did you mean damage"]),
    "health of whom": (instead('{ hits = "wisp" }', '{ measure = "health", equals = 1 }'), ["check[0].of", "is missing", "wisp"]),
    "an empty row": (plus("input = [{ t = 0 }]\n"), [":15", "nothing happens"]),
    "two acts in a row": (plus('input = [{ t = 0, tap = "fire", press = "fire" }]\n'), ["one button act"]),
    "hold for how long": (plus('input = [{ t = 0, hold = "fire" }]\n'), ["hold and held go together"]),
    "time before the start": (plus('input = [{ t = -1, tap = "fire" }]\n'), [":15", "input[0].t"]),
    "many as one": (instead("launch.speed", "launch.count = 5\nlaunch.speed"), ["needs fan, ring, cone or scatter"]),
    "an empty fan": (instead("launch.speed", "launch.fan = 30\nlaunch.speed"), ["a fan needs count"]),
    "two spreads": (instead("launch.speed", "launch.cone = 3\nlaunch.scatter = 2\nlaunch.speed"), ["cone and scatter"]),
    "a dead zone of 1": (instead("launch.speed", 'aim = { by = "stick", dead_zone = 1 }\nlaunch.speed'), ["less than 1"]),
    "key of another aim": (instead("launch.speed", "aim.snap = 8\nlaunch.speed"), ['snap is for aim by = "stick"']),
    "no stick": (plus("").replace("launch.speed", 'aim.by = "stick"\nlaunch.speed') + 'input = [{ t = 0, tap = "fire" }]\n', ["no stick"]),
    "seek no group": (instead("launch.speed", 'aim = { by = "nearest", group = "wips" }\nlaunch.speed'), ["did you mean wisps"]),
    "arc to nowhere": (instead("launch.elevation = 40", 'launch.arc = "low"'), ["needs a point", "cursor"]),
    "arc by what": (instead("launch.elevation = 40", 'launch.arc = "by flight time"\naim.by = "cursor"'), ["speed does not go with", "solved from flight_time"]),
    "time without arc": (instead("launch.elevation = 40", "launch.flight_time = 3"), ["flight_time is for a solved arc"]),
    "arc of two": (instead("launch.elevation = 40", 'launch.elevation = 40\nlaunch.arc = "low"'), ["elevation does not go with"]),
    # Numbers that depend.
    "depends on nothing known": (instead("speed = 18", 'speed = { by = "moon", start = 1 }'), [":11", "by", "shot"]),
    "depends on no numbers": (instead("speed = 18", 'speed = { by = "shot" }'), ["needs points, or start and end, or step and start"]),
    "depends out of range": (instead("speed = 18", 'speed = { by = "shot", points = [[0, 5], [3, -5]] }'), ["at least 0", "-5"]),
    "points that go back": (instead("speed = 18", 'speed = { by = "shot", points = [[3, 5], [0, 5]] }'), ["must go up"]),
    "cap below start": (instead("speed = 18", 'speed = { by = "shot", start = 9, step = 1, cap = 3 }'), ["cap lies on the other side"]),
    # Shooters that move, and where shots leave.
    "two ways to move": (instead("at = [0, 1]\n", "at = [0, 1]\nmove.velocity = [1, 0]\nwalk.speed = 2\n"), ["shooter.keeper", "move and walk"]),
    "a way without speed": (plus("[target.b]\nmove.through = [[1, 1], [2, 2]]\n"), ["go with speed"]),
    "a way and a velocity": (plus("[target.b]\nmove.through = [[1, 1]]\nmove.speed = 1\nmove.velocity = [1, 0]\n"), ["target.b.move", "needs one of"]),
    "a target nowhere": (plus("[target.b]\nshape.ball = 1\n"), ["target.b", "needs at"]),
    "a jump without gravity": (instead("at = [0, 1]\n", "at = [0, 1]\nwalk.speed = 2\nwalk.jump = 5\n") + "[world]\ngravity = 0\n", ["walk.jump", "never comes down"]),
    "faces by a movement it lacks": (instead("at = [0, 1]\n", 'at = [0, 1]\nfacing_follows = "movement"\n'), ["shooter.keeper.facing_follows", "does not walk"]),
    "four ways in side view": (instead("at = [0, 1]\n", 'at = [0, 1]\nfacing_follows = "cursor"\nfacing_count = 4\n'), ["shooter.keeper.facing_count", "left or right"]),
    "three ways": (instead("at = [0, 1]\n", 'at = [0, 1]\nfacing_follows = "cursor"\nfacing_count = 3\n'), ["shooter.keeper.facing_count", "8"]),
    "a carrier that cannot fly": (instead("muzzle.hand.forward = 0.8", 'muzzle.hand.follows = "carrier"'), ["muzzle.hand", "top_speed go together"]),
    "an unknown one of several muzzles": (instead("launch.speed", 'muzzle = ["hand", "hend"]\nlaunch.speed'), ["ability.flare.muzzle", "hend", "hand"]),
    "an order of one muzzle": (instead("launch.speed", 'muzzle = "hand"\nmuzzle_order = "random"\nlaunch.speed'), ["muzzle_order needs several"]),
    "nobody walks": (plus("input = [{ t = 0, walk = [1, 0] }]\n"), ["walk", "nobody walks"]),
    "a look of two in 2d": (plus("input = [{ t = 0, look = [1, 0] }]\n"), ["look", "[direction]"]),
    "a screen without a camera": (plus("input = [{ t = 0, screen = [1, 0] }]\n"), ["screen", "no ability in hand looks through a camera"]),
    # Aims and launches.
    "a fan of nothing": (instead("launch.speed", "launch.fan = 0\nlaunch.speed"), ["launch.fan", "greater than 0"]),
    "a curve without a turn rate": (instead("launch.speed", 'aim.by = "stick"\naim.curve = 2\nlaunch.speed'), ["aim", "turn_rate"]),
    "a camera in 2d": (instead("launch.speed", 'aim.by = "sight"\naim.camera.at = [0, 1]\naim.camera.look = [0, 0]\nlaunch.speed'), ["aim.camera", "space"]),
    "blocked for a cursor": (instead("launch.speed", 'aim.by = "cursor"\naim.line_blocked = "refuse"\nlaunch.speed'), ["line_blocked is for aim by", "sight"]),
    "limits the wrong way round": (instead("launch.speed", "aim.elevation_within = [50, -10]\nlaunch.speed"), ["elevation_within", "more than the most"]),
    "bearings in side view": (instead("launch.speed", "aim.direction_within = [-10, 10]\nlaunch.speed"), ["direction_within", "elevation_within"]),
    "no direction": (instead("launch.speed = 18\nlaunch.elevation = 40", "launch.velocity = [0, 0]"), ["launch.velocity", "no length"]),
    "two sources": (instead("launch.speed", "launch.impulse = 2\nlaunch.speed"), ["speed and impulse"]),
    "an impulse on nothing": (instead("launch.speed = 18", "launch.impulse = 18"), ["ability.flare", "needs mass"]),
    "clearing nobody": (instead("launch.elevation = 40", 'aim.by = "nearest"\nlaunch.arc = "low"\nlaunch.clears = "wal"'), ["launch.clears", "wal", "wall"]),
    "a margin to nothing": (instead("launch.speed", "launch.margin = 1\nlaunch.speed"), ["margin goes with clears"]),
    "negative drag": (instead("launch.speed", "flight.drag.linear = -1\nlaunch.speed"), ["drag.linear", "at least 0"]),
    "a factor above one": (instead("launch.speed", "flight.drag.per_tick = 1.5\nlaunch.speed"), ["drag.per_tick", "at most 1"]),
    "spin without a rate": (instead("launch.speed", 'heading.follows = "spin"\nlaunch.speed'), ["heading", "spin"]),
    "a third axis in 2d": (instead("launch.speed", 'heading.front = "+z"\nlaunch.speed'), ["heading.front", "third axis"]),
    "a capsule across": (instead("launch.speed", "shape.capsule = [[0, -1], [0, 1]]\nshape.radius = 0.1\nlaunch.speed"), ["shape", "tail to tip"]),
    # Firing.
    "a kind nobody knows": (instead("launch.speed", 'firing.kind = "atuo"\nlaunch.speed'), ["firing.kind", "atuo", "auto"]),
    "a stream without pace": (instead("launch.speed", 'firing.kind = "auto"\nlaunch.speed'), ["needs either interval or rate"]),
    "a stream of two paces": (instead("launch.speed", 'firing = { kind = "auto", rate = 3, interval = 1 }\nlaunch.speed'), ["either interval or rate"]),
    "no interval": (instead("launch.speed", 'firing = { kind = "auto", interval = 0 }\nlaunch.speed'), ["interval must be more than 0"]),
    "a negative interval": (instead("launch.speed", 'firing = { kind = "auto", interval = -0.1 }\nlaunch.speed'), ["interval", "-0.1"]),
    "a million shots a second": (instead("launch.speed", 'firing = { kind = "auto", rate = 1e6 }\nlaunch.speed'), ["firing.rate", "1e+06 shots a second", "100,000"]),
    "a burst of none": (instead("launch.speed", 'firing = { kind = "burst", shots = 0, interval = 0.1 }\nlaunch.speed'), ["firing.shots", "at least 1"]),
    "a burst without gap": (instead("launch.speed", 'firing = { kind = "burst", shots = 3 }\nlaunch.speed'), ["needs shots and interval"]),
    "full of nothing": (instead("launch.speed", 'firing.full_after = 1\nlaunch.speed'), ['full_after is for kind = "charge"']),
    "let go when": (instead("launch.speed", 'firing = { kind = "charge", at_full = "let go" }\nlaunch.speed'), ["needs full_after"]),
    "a tap longer than full": (instead("launch.speed", 'firing = { kind = "charge", full_after = 1, min_hold = 2 }\nlaunch.speed'), ["min_hold", "longer than full_after"]),
    "reload of no ammo": (instead("launch.speed", "firing.reload = 1\nlaunch.speed"), ["reload needs ammo"]),
    "no ammo": (instead("launch.speed", "firing.ammo = 0\nlaunch.speed"), ["firing.ammo", "at least 1"]),
    "held by a tap": (instead("speed = 18", 'speed = { by = "held", start = 6, end = 9 }'), ["launch.speed", "does not charge", "charge"]),
    "held until when": (instead("speed = 18", 'speed = { by = "held", start = 6, end = 9 }\nfiring.kind = "charge"'), ["start and end need over", "full_after"]),
    "speed by age": (instead("speed = 18", 'speed = { by = "age", start = 6, end = 9, over = 1 }'), ["settled at launch", "held, shot"]),
    "a cap below the start": (instead("launch.speed", 'firing.kind = "charge"\non.wisps.damage = { by = "held", start = 9, step = 2, every = 1, cap = 3 }\nlaunch.speed'), ["cap lies on the other side"]),
    "a step of what": (instead("launch.speed", 'firing.kind = "charge"\non.wisps.damage = { by = "held", start = 9, step = 2 }\nlaunch.speed'), ["a step needs every"]),
    "cancels nobody": (instead("launch.speed", 'firing.cancels = ["flar"]\nlaunch.speed'), ["firing.cancels", "did you mean flare"]),
    "damage to nobody": (instead("launch.speed", "firing.cancelled_by_damage = true\nlaunch.speed"), ["no shooter has health"]),
    "what happens to whom, as if it was an ability": (
        plus('[case.of]\ncheck = [{ never = "out", of = "wisp" }]'), ["of", 'write body = "wisp"']
    ),
    "a timer between ticks": (plus('[tick]\ntimer = "re-armed"\n'), ["tick", 'needs input = "at ticks"']),
    "bits of an exact timer": (plus("[tick]\ntimer_bits = 32\n"), ["timer_bits is for a timer"]),
    "never let go": (instead("launch.speed", 'firing = { kind = "auto", rate = 3 }\nlaunch.speed') + 'input = [{ t = 0, press = "fire" }]\n', ["never released", "lasts"]),
    "a button nobody presses": (plus('ability = "flare"\ninput = [{ t = 0, release = "fire" }]\n'), ["nobody presses the button of flare"]),
    "none alive": (instead("launch.speed", "limits.in_the_air = 0\nlaunch.speed"), ["limits.in_the_air", "at least 1"]),
    "full of any": (instead("launch.speed", 'limits.when_full = "refuse"\nlaunch.speed'), ["go with in_the_air"]),
    "many without every": (plus('input = [{ t = 0, tap = "fire", count = 3 }]\n'), ["count and every go together"]),
    "a sheet that is not there": (instead("speed = 18", 'speed = { by = "read", file = "no.csv", row = "flare", column = "speed" }'), ["launch.speed", "no.csv", "cannot be read"]),
    "too many at once": (instead("muzzle.hand.forward = 0.8", "\n".join(f"muzzle.m{k}.forward = 0.8" for k in range(9))).replace("launch.speed", f'muzzle = {[f"m{k}" for k in range(9)]}\nmuzzle_order = "all at once"\nlaunch.count = 200\nlaunch.fan = 9\nlaunch.speed'), ["launch.count", "1800 projectiles", "at most 1000"]),
    "a shot in thirty years": (instead("launch.speed", 'firing = { kind = "auto", rate = 1e-9 }\nlaunch.speed'), ["firing.rate", "at least 0.0001"]),
    "a life of years": (instead("launch.speed", 'limits.life = { by = "random", low = 1, high = 1e9 }\nlaunch.speed'), ["limits", "at most 86400"]),
}  # fmt: skip
"""Name of what is wrong: (the text, words that the message must have)."""
