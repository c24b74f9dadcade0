"""What comes a moment before, on or after the edge of a tick comes as it does at any other time."""

import itertools
import math
import unittest

import numpy as np

import nivvo
from tests.deep import DEEP

MOMENTS = (0.0, 1e-13, -1e-13, 2e-12, -2e-12, 1e-11, -1e-11, 1e-10, -1e-10, 1e-9, -1e-9, 1e-8)
"""How long (s) before the edge of a tick something comes."""

THENS = (
    "'end'", "'pass'", "'pass', pierces = 2", "'bounce', restitution = 0.8",
    "'bounce', restitution = 0.5, friction = 0.3", "'slide'",
    "'lodge', within = 50, otherwise = 'bounce', restitution = 0.5",
)  # fmt: skip
EFFECTS = ("", ", damage = 3", ", sends.ability = 'chip'", ", blast = { radius = 2, damage = 4 }", ", score.points = 2")
GOES_ON = ("age = { at = 0.4, ", "near = { within = 0.6, ", "apex = { ")
SENT = (*(f"{one}then = 'go on', " for one in GOES_ON), "ended = { ")
FLIGHTS = (
    "",
    "flight.drag.linear = 0.3",
    "flight.drag.square = 0.02",
    "flight.thrust = { acceleration = 6, along = 'heading' }",
)
LAUNCHES = ("", ", count = 3, fan = 30")


def drawn(rng, space):
    """The rate of a random drill, and its text if it is begun so much later (s): all is then where it was."""

    def one(of):
        return of[int(rng.integers(len(of)))]

    def place(*reach):
        return rng.uniform([-far for far in reach], reach)[: 3 if space else 2]

    ends = place(0.6, 0.4, 0.3).round(4).tolist()
    middle = np.array([5.0, 0.5, 0.0])[: len(ends)]
    bodies = []
    for k, group in enumerate("abcabc"):
        shape = one(("ball = 0.7", f"capsule = [{ends}, {[-x for x in ends]}]\nshape.radius = 0.3", "box"))
        turned, turns = float(rng.uniform(0, 90)), 0.0 if space else float(one((0, 0, 150, -90)))
        size = rng.uniform(0.3, 3, len(ends)).tolist()
        kind = f"{('target', 'obstacle')[k % 2]}.b{k}]\ngroup = '{group}'\nshape.{shape}"
        if shape == "box":
            kind += f" = {size}\nturns = {turns}\nshape.turned"
        bodies.append((kind, middle + place(3.5, 4.5, 2.5), one((0, 0, 1)) * place(2, 2, 2), turned, turns))
    view = "world.view = 'space'" if space else one(("", "world.y = 'down'"))
    ground = [0, 0, -5] if space else [0, 5 if "down" in view else -5]
    rate = int(one((20, 30, 60)))
    answers = "".join(f"on.{group} = {{ then = {one(THENS)}{one(EFFECTS)} }}\n" for group in "abc")
    head = (
        f"nivvo = 1\n{view}\ntick.rate = {rate}\n[ability.flare]\nshape.ball = 0.15\nlimits.life = 1.5\n"
        f"aim = {{ by = 'fixed', direction = {rng.uniform(-40, 60)} }}\n{one(FLIGHTS)}\n{answers}"
        f"launch = {{ speed = {rng.uniform(6, 20)}{one(LAUNCHES)} }}\nwhen.{one(SENT)}sends.ability = 'chip' }}\n"
        "[ability.chip]\nfiring.button = 'chip'\nlaunch = { speed = 6, count = 2, fan = 40 }\nlimits.life = 0.5\n"
        "on.a.then = 'end'\non.b = { then = 'bounce', restitution = 0.6 }\n"
        f"[obstacle.ground]\ngroup = 'a'\nat = {ground}\nshape.half_space = 'up'\n"
    )

    def text(later):
        rows = "".join(
            f"[{kind}{f' = {turned - turns * later!r}' if kind.endswith('turned') else ''}\n"
            f"at = {(at - way * later).tolist()}\nmove.velocity = {way.tolist()}\n"
            for kind, at, way, turned, turns in bodies
        )  # fmt: skip
        return f"{head}{rows}[case.c]\nlasts = 2.6\ninput = [{{ t = {0.1 + later!r}, tap = 'fire' }}]\n"

    return rate, text


def happened(text, later):
    """What happens of a drill that is begun so much later (s), as if it were not: in order of whom and what."""
    run = nivvo.fire(nivvo.parse(text(later)))
    rows = [(row["projectile"], row["what"], row["body"], row["time"] - later) for row in run.rows("events")]
    return sorted(row for row in rows if row[3] < 2.5 - later)


def jammed(rows):
    """Whether something goes to and fro in a corner, where rounding decides what comes next."""
    along = [row for row in rows if row[1] in ("goes along", "bounced")]
    return any(
        one[0] == other[0] and 0.0 <= other[3] - one[3] < 1e-3 for one, other in itertools.permutations(along, 2)
    )


class Edges(unittest.TestCase):
    def test_begun_a_little_later_all_comes_so_much_later(self):
        rng = np.random.default_rng(4)
        for number in range(400 if DEEP else 12):
            rate, text = drawn(rng, number % 3 == 2)
            first = happened(text, 0.0)
            if jammed(first):
                continue
            times = sorted({row[3] for row in first if 0.1001 < row[3] < 2.0})
            for time in rng.permutation(times)[:2].tolist():
                moments = MOMENTS if DEEP else rng.permutation(MOMENTS)[:4].tolist()
                for moment in moments:
                    later = math.ceil(time * rate) / rate - time - moment
                    if later < -0.1:
                        continue
                    with self.subTest(number, time=time, moment=moment):
                        told = [row for row in first if row[3] < 2.5 - later]
                        other = happened(text, later)
                        self.assertEqual([row[:3] for row in told], [row[:3] for row in other])
                        # What slides round what bends, or flies under forces, goes in steps, and a tick ends one.
                        near = 1e-4 if "'slide'" in text(0.0) or "flight." in text(0.0) else 1e-6
                        np.testing.assert_allclose([row[3] for row in told], [row[3] for row in other], atol=near)

    def test_at_every_rate_the_same_comes_at_the_same_time(self):
        rng = np.random.default_rng(1)
        for number in range(200 if DEEP else 10):
            rate, text = drawn(rng, number % 3 == 2)
            if jammed(first := happened(text, 0.0)):
                continue
            near = 1e-4 if "'slide'" in text(0.0) or "flight." in text(0.0) else 1e-7
            for other in (10, 31.7, 144):
                rows = happened(lambda _, text=text, rate=rate, other=other:
                                text(0.0).replace(f"tick.rate = {rate}", f"tick.rate = {other}"), 0.0)  # fmt: skip
                with self.subTest(number, rate=rate, other=other):
                    self.assertEqual([row[:3] for row in first], [row[:3] for row in rows])
                    np.testing.assert_allclose([row[3] for row in first], [row[3] for row in rows], atol=near)

    def test_what_falls_is_thrown_back_whenever_it_comes_down(self):
        for moment in MOMENTS:
            height = 0.5 * 9.81 * (0.5 - moment) ** 2
            run = nivvo.fire(nivvo.parse(
                "nivvo = 1\n[shooter.keeper]\nat = [-20, 50]\n[ability.puck]\nlaunch.speed = 0\nlimits.life = 3\n"
                f"shape.ball = 0.2\nmuzzle = 'hand'\non.anything = {{ then = 'bounce', restitution = 0.9 }}\n"
                f"[shooter.keeper.muzzle.hand]\nforward = 2\n[obstacle.deck]\nat = [0, {49.8 - height!r}]\n"
                "shape.half_space = 'up'\n[case.c]\nlasts = 3\n"))  # fmt: skip
            lowest, bounced = run.flight("puck-1").p[:, 1].min(), run.rows("contacts")[0]["time"]
            self.assertAlmostEqual(bounced, 0.5 - moment, delta=1e-12)
            self.assertAlmostEqual(lowest, 50.0 - height, delta=1e-9)

    def test_at_ticks_all_that_is_overlapped_then_answers_and_none_is_passed(self):
        rng = np.random.default_rng(4)
        for number in range(200 if DEEP else 20):
            space, thick, turned = number % 3 == 2, 4.0, float(rng.uniform(0, 90))
            c, s = math.cos(math.radians(turned)), math.sin(math.radians(turned))
            bodies = "".join(
                f"[obstacle.w{k}]\nat = {[5 * (x * c - y * s), 5 * (x * s + y * c), 0][: 3 if space else 2]}\n"
                f"shape.box = {[4, 14, 12][: 3 if space else 2] if x else [14, 4, 12][: 3 if space else 2]}\n"
                f"shape.turned = {turned}\n" for k, (x, y) in enumerate(((1, 0), (-1, 0), (0, 1), (0, -1)))
            )  # fmt: skip
            for name, z in (("roof", 5), ("base", -5)) if space else ():
                bodies += f"[obstacle.{name}]\nat = [0, 0, {z}]\nshape.box = [16, 16, 4]\n"
            rate, motion = int(rng.choice([20, 30, 60])), rng.choice(["exact", "explicit", "semi-implicit", "verlet"])
            run = nivvo.fire(nivvo.parse(
                f"nivvo = 1\nworld.view = '{('top', 'top', 'space')[number % 3]}'\ntick.contacts = 'at ticks'\n"
                f"tick.motion = '{motion}'\ntick.rate = {rate}\n[ability.puck]\nshape.ball = 0.25\nlimits.life = 5\n"
                f"hits_owner = 'never'\nlaunch.speed = {rng.uniform(3, 0.3 * thick * rate)}\n"
                f"aim = {{ by = 'fixed', direction = {rng.uniform(0, 360)} }}\n"
                f"on.obstacles = {{ then = 'bounce', restitution = {rng.choice([1.0, 0.9])} }}\n"
                f"{bodies}[case.c]\nlasts = 3\n"))  # fmt: skip
            path = run.flight("puck-1")
            p = path.at(np.unique(path.t)[1:-1])[0]
            seen = np.abs(np.column_stack([p[:, 0] * c + p[:, 1] * s, p[:, 1] * c - p[:, 0] * s, p[:, 2]]))
            with self.subTest(number):
                self.assertLess(seen.max(), 3.0 - 0.25 + 1e-9)

    def test_what_comes_back_within_a_tick_is_met_as_in_many(self):
        # Thrown back onto its shooter, and sent at what it came near, in a tick of a slow game or in ten of another.
        near = "when.near = { within = 0.6, then = 'end', sends.ability = 'chip' }"
        for more, whom, body in (
            ("on.b = { then = 'bounce', restitution = 1 }", "flare-1", "keeper"),
            (near, "chip-1", "b"),
        ):
            told = []
            for rate, later in itertools.product((10, 20, 60, 144), (0.0, 0.013, 0.031, 0.049)):
                run = nivvo.fire(nivvo.parse(
                    f"nivvo = 1\nworld.view = 'top'\ntick.rate = {rate}\n[ability.flare]\nlaunch.speed = 12\n"
                    f"aim = {{ by = 'fixed', direction = 0 }}\nlimits.life = 1\n{more}\n"
                    "[ability.chip]\nlimits.life = 1\nlaunch.speed = 12\n"
                    "[target.b]\nat = [1.5, 0]\nshape.box = [0.4, 4]\ngroup = 'b'\n"
                    f"[case.c]\ninput = [{{ t = {0.1 + later}, tap = 'fire' }}]\n"))  # fmt: skip
                rows = [row for row in run.rows("contacts") if row["projectile"] == whom and row["body"] == body]
                told.append(rows[0]["time"] - later)
            np.testing.assert_allclose(told, told[0], atol=1e-9)
