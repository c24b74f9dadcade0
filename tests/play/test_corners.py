"""What slides or rolls along two bodies at once, or aslant to what drives it: by other ways of reckoning."""

import math
import unittest

import numpy as np
from scipy.integrate import solve_ivp

import nivvo
from tests.deep import DEEP

G, R = 9.81, 0.2
HEAD = """nivvo = 1
{view}
tick = {{ rate = {rate}, motion = '{motion}' }}
[shooter.keeper]
at = {at}
shape.ball = 0.05
muzzle.hand.forward = 0
move.velocity = {u}
[ability.marble]
hits_owner = 'never'
muzzle = 'hand'
inherit_velocity = 1
launch.velocity = {v}
shape.ball = 0.2
limits.life = 90
{answers}
{bodies}
[case.c]
lasts = {lasts}
input = [{{ t = 0, tap = 'fire' }}]
"""


def rolled(bodies, answers, at, v, *, u=None, rate=60, motion="exact", lasts=1.5):
    """The run of a marble from a place with a velocity, and its path; all that is there goes with velocity ``u``."""
    size = len(at)
    u = np.zeros(size) if u is None else u
    # Forward, right, up.
    v, at = np.array(v, float) * ((1, 1) if size == 2 else (1, -1, 1)), np.array(at, float)
    text = HEAD.format(view="world.view = 'space'" if size == 3 else "", rate=rate, motion=motion, at=at.tolist(),
                       v=v.tolist(), u=u.tolist(), answers=answers, bodies=bodies, lasts=lasts)  # fmt: skip
    run = nivvo.fire(nivvo.parse(text))
    return run, run.flight("marble-1")


def slopes(normals, u):
    return "".join(
        f"[obstacle.s{k}]\ngroup = 's{k}'\nshape.half_space = {n.tolist()}\nmove.velocity = {[*map(float, u)]}\n"
        for k, n in enumerate(normals)
    )


def words(run):
    return [(row["what"], row["body"]) for row in run.rows("events")]


class Aslant(unittest.TestCase):
    """Friction turns with the way of what slides aslant down a slope; at every rate it goes the same way."""

    def test_a_shot_goes_as_its_equation_says(self):
        for degrees, mu, rate, motion in ((30, 0.3, 8, "exact"), (25, 0.6, 20, "exact"), (40, 0.5, 60, "exact")):
            down = np.array([math.cos(s := math.radians(degrees)), 0.0, -math.sin(s)])
            normal = np.array([math.sin(s), 0.0, math.cos(s)])
            v = 0.5 * down + np.array([0.0, 3.0, 0.0])
            for answer in (f"then = 'slide', friction = {mu}",
                           f"then = 'bounce', restitution = 0, rests = 'rolls', rolling = {mu}"):  # fmt: skip
                answers = f"on.anything = {{ {answer} }}"
                run, path = rolled(slopes([normal], (0, 0, 0)), answers, normal * R, v, rate=rate, motion=motion)
                rubs = mu * G * math.cos(s)
                drives = np.array([G * math.sin(s), 0.0])

                def goes(_, y, drives=drives, rubs=rubs):
                    return [*y[2:], *(drives - rubs * y[2:] / math.hypot(*y[2:]))]

                def stands(_, y):
                    return math.hypot(*y[2:]) - 1e-6

                stands.terminal = True
                true = solve_ivp(goes, (0, 1.5), (0, 0, 0.5, 3), rtol=1e-11, atol=1e-11, events=stands).y[:, -1]
                off = path.p[-1] - normal * R
                np.testing.assert_allclose([off @ down, off[1]], true[:2], atol=2e-7, err_msg=f"{degrees} {answer}")
                self.assertAlmostEqual(off @ normal, 0.0, delta=1e-10)
                self.assertEqual(("came to rest", "s0") in words(run), stands(0, true) < 1e-6)

    def test_what_has_a_mass_goes_as_its_equation_says(self):
        knocks = "mass = 1\nflight.gravity_share = 0\non.crates = { knock.impulse = 3 }\non.s0.then = 'ignore'"
        for degrees, mu in ((30, 0.7), (10, 0.2)):
            normal = np.array([math.sin(s := math.radians(degrees)), 0.0, math.cos(s)])
            at = (normal * R).tolist()
            place = f"[target.crate]\ngroup = 'crates'\nat = {at}\nmass = 1\nfriction = {mu}\n"
            ball, turned = place + f"shape.ball = {R}\n", f"turned = [0, {-degrees}, 0]"
            down = np.array([math.cos(s), 0.0, -math.sin(s)])
            places = [down * (0.7 * k + 0.1) + (0.7 * j + 0.2) * np.array([0.0, 1.0, 0.0]) - normal / 2
                      for k in range(-2, 6) for j in range(-2, 6)]  # fmt: skip
            blocks = "".join(
                f"[obstacle.b{k}]\ngroup = 's0'\nat = {spot.tolist()}\nshape = {{ box = [0.7, 0.7, 1], {turned} }}\n"
                for k, spot in enumerate(places)
            )
            box = f"{place}shape = {{ box = [0.4, 0.4, 0.4], {turned} }}\n{blocks}"
            for rate, crate in [*((rate, slopes([normal], (0, 0, 0)) + ball) for rate in (20, 60, 240)), (20, box)]:
                # It is pushed to the side at 0.05 s, a tick's edge at each rate.
                live = nivvo.Live(nivvo.parse(HEAD.format(
                    view="world.view = 'space'", rate=rate, motion="exact", at=[at[0], at[1] - 2.78, at[2]],
                    v=[0, -50, 0], u=[0, 0, 0], answers=knocks, bodies=crate, lasts=2
                )))  # fmt: skip
                live.press("fire")
                for _ in range(rate + rate // 20):
                    live.step()
                drives, rubs = np.array([G * math.sin(s), 0.0]), mu * G * math.cos(s)

                def goes(_, y, drives=drives, rubs=rubs):
                    return [*y[2:], *(drives - rubs * y[2:] / math.hypot(*y[2:]))]

                start = max(drives[0] - rubs, 0.0) * 0.05
                first = (start * 0.05 / 2, 0.0, start, 3.0)
                true = solve_ivp(goes, (0, 1), first, rtol=1e-11, atol=1e-11).y[:2, -1]
                off = np.array(live.place("crate")) - normal * R
                np.testing.assert_allclose([off @ down, off[1]], true, atol=1e-5, err_msg=f"{degrees} {rate}")


class Planes(unittest.TestCase):
    """Two or three planes that stand anyhow, each with its friction."""

    def drawn(self, seed):
        rng, size = np.random.default_rng(seed), 2 + seed % 2
        normals = []
        while len(normals) < (2 if size == 2 else 2 + seed % 3 % 2):
            n = rng.normal(size=size)
            n[-1] = abs(n[-1]) + 0.1
            if abs((n := n / np.linalg.norm(n))[0]) < 0.97:
                normals.append(n)
        rubs = [float(rng.choice([0.0, rng.uniform(0, 0.6)])) for _ in normals]
        at = np.append(np.zeros(size - 1), 2.0)
        for n in [*normals] * 100:
            at = at + n * max(R + 0.05 - n @ at, 0.0)
        answers = "\n".join(f"on.s{k} = {{ then = 'slide', friction = {mu} }}" for k, mu in enumerate(rubs))
        return rng, normals, rubs, at, rng.uniform(-3, 3, size), answers

    def by_small_steps(self, normals, rubs, p, v, lasts, dt=4e-4):
        """Where it is by impulses, a small step after the other: it is stopped by each, and held by each's friction."""
        pull, normals = np.append(np.zeros(len(p) - 1), -G * dt), np.array(normals)
        pressed = np.zeros(len(normals), bool)
        for _ in range(round(lasts / dt)):
            v = v + pull
            touched, blows = normals @ p - R <= 1e-7, np.zeros(len(normals))
            for k in [*np.flatnonzero(touched)] * 25:
                more = max(blows[k] - normals[k] @ v, 0.0) - blows[k]
                v, blows[k] = v + more * normals[k], blows[k] + more
            for k in np.flatnonzero(touched & pressed):
                slides = v - (normals[k] @ v) * normals[k]
                speed = np.linalg.norm(slides)
                v = v - min(rubs[k] * min(blows[k], 9 * G * dt), speed) * slides / max(speed, 1e-12)
            p, pressed = p + v * dt, touched
            for n in normals:
                p = p + max(R - n @ p, 0.0) * n
        return p

    def test_it_goes_where_small_steps_take_it(self):
        for seed in range(60 if DEEP else 4):
            _, normals, rubs, at, v, answers = self.drawn(seed)
            _, path = rolled(slopes(normals, np.zeros(len(at))), answers, at, v, lasts=1.2)
            there = self.by_small_steps(normals, rubs, at, v, 1.2)
            np.testing.assert_allclose(path.p[-1][: len(at)], there, atol=2e-2, err_msg=str(seed))

    def test_at_every_rate_and_where_all_moves_it_goes_the_same_way(self):
        for seed in range(200 if DEEP else 12):
            rng, normals, _, at, v, answers = self.drawn(seed)
            u = rng.uniform(-5, 5, len(at))
            run, path = rolled(slopes(normals, 0 * u), answers, at, v)
            riding, other = rolled(slopes(normals, u), answers, at, v, u=u)
            _, coarse = rolled(slopes(normals, 0 * u), answers, at, v, rate=20)
            size = len(at)
            np.testing.assert_allclose(other.p[-1][:size] - 1.5 * u, path.p[-1][:size], atol=1e-5, err_msg=str(seed))
            np.testing.assert_allclose(coarse.p[-1], path.p[-1], atol=1e-5, err_msg=str(seed))
            self.assertEqual(words(run), words(riding), seed)


class Gutters(unittest.TestCase):
    def gutter(self, degrees, falls, pieces):
        """Boxes on both sides of a line that falls along x, each side in so many pieces."""
        bodies, s, c = "", math.sin(math.radians(degrees)), math.cos(math.radians(degrees))
        for name, side in (("l", 1), ("r", -1)):
            for k in range(pieces):
                far, long = -10 + 80 / pieces * (k + 0.5), 80 / pieces
                # Half as thick below the middle of its face, which begins at the line.
                place = np.array([far, side * (4 * c + 0.5 * s), 4 * s - 0.5 * c])
                fall = math.radians(falls)
                x, z = place[0], place[2]
                place[0], place[2] = (
                    x * math.cos(fall) + z * math.sin(fall),
                    z * math.cos(fall) - x * math.sin(fall),
                )
                bodies += (
                    f"[obstacle.{name}{k}]\nat = {place.tolist()}\ngroup = 'walls'\n"
                    f"shape = {{ box = [{long}, 8, 1], turned = [0, {-falls}, {side * degrees}] }}\n"
                )
        return bodies

    def test_down_a_gutter_both_sides_rub(self):
        for degrees, falls, mu in ((20, 0, 0.0), (35, 10, 0.1), (60, 25, 0.2), (45, 5, 0.4)):
            tilt, half = math.radians(falls), math.radians(degrees)
            way = np.array([math.cos(tilt), 0.0, -math.sin(tilt)])
            at = R / math.cos(half) * np.array([math.sin(tilt), 0.0, math.cos(tilt)])
            slows = G * (mu * math.cos(tilt) / math.cos(half) - math.sin(tilt))
            lasts = min(2.0, 3 / slows if slows > 0 else math.inf)
            for pieces in (1, 7):
                for answer in (f"then = 'slide', friction = {mu}",
                               f"then = 'bounce', restitution = 0, rests = 'rolls', rolling = {mu}"):  # fmt: skip
                    run, path = rolled(
                        self.gutter(degrees, falls, pieces), f"on.walls = {{ {answer} }}", at, 3 * way, lasts=2.0
                    )
                    off = path.p[-1] - at
                    self.assertAlmostEqual(off @ way, 3 * lasts - slows * lasts**2 / 2, delta=2e-6, msg=(degrees, mu))
                    np.testing.assert_allclose(off - (off @ way) * way, 0.0, atol=1e-8)
                    self.assertLess(len(words(run)), 8 + 4 * pieces)

    def test_along_a_valley_of_heights_as_along_a_gutter(self):
        for way in (0, 1):
            heights = np.array([[0.5 * abs(j - 6) - 0.1 * i for j in range(13)] for i in range(40)])
            at = np.array([0.0, 0.0, -0.2 + R * 1.3])
            ground = "[obstacle.valley]\ngroup = 'walls'\nat = {}\nshape.heights = {{ values = {}, every = 1 }}\n"
            place, values = ([-2, -6, 0], heights.T) if way == 0 else ([-6, -2, 0], heights)
            answer = "on.walls = { then = 'slide', friction = 0.05 }"
            v = [3.0, 0.0, 0.0] if way == 0 else [0.0, 3.0, 0.0]
            run, path = rolled(ground.format(place, values.tolist()), answer, at, v, lasts=3)
            # The sides: (0.1, +-0.5, 1), as long as the line falls by 0.1.
            fall, long = math.atan(0.1), math.sqrt(1.26)
            pull = G * (math.sin(fall) - 0.05 * long / math.hypot(1, 0.1) ** 2)
            last = max(row["time"] for row in run.rows("events") if row["what"] == "goes along")
            k = int(np.searchsorted(path.t, last, side="right"))
            after = path.t[-1] - path.t[k]
            gone = np.linalg.norm(path.v[k]) * after + pull * after**2 / 2
            self.assertAlmostEqual(np.linalg.norm(path.p[-1] - path.p[k]), gone, delta=1e-5)
            self.assertGreater(after, 1.0)
            says = "still going along valley when the case ended"
            self.assertEqual(run.rows("projectiles")[0]["reason"], says)

    def test_where_it_stays_it_does_not_come_onto_what_it_came_along_anew(self):
        bodies = slopes([np.array([math.sin(0.5), math.cos(0.5)]), np.array([-1.0, 0.0])], (0, 0)).replace(
            "group = 's1'", "group = 's1'\nat = [4, 0]"
        )
        rests = "on.s0 = { then = 'slide' }\non.s1 = { then = 'bounce', restitution = 0, rests = 'stays' }"
        run, path = rolled(bodies, rests, [0.0, 1.0], [0.1, 0.0], rate=15, lasts=5)
        self.assertEqual([what for what, _ in words(run)].count("came to rest"), 1)
        self.assertLess(len(words(run)), 8)
        self.assertAlmostEqual(path.p[-1][0], 4 - R, delta=1e-9)


if __name__ == "__main__":
    unittest.main()
