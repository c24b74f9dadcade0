"""All that is there goes with one velocity: then it goes on as if all stood, and only its places go along.

So says Galilei of shots, of who walks, and of what has a mass; who leaps off what moves keeps its velocity.
"""

import math
import unittest

import numpy as np

import nivvo
from tests.deep import DEEP

TIMES = 10 if DEEP else 1
ANSWERS = (
    "then = 'end'", "then = 'pass', damage = 3", "then = 'bounce', restitution = 0.8, friction = 0.2",
    "then = 'bounce', restitution = 0.4, friction = 0.2, rests = 'rolls', rolling = 0.1", "then = 'slide'",
    "then = 'bounce', restitution = 0.5, rests = 'stays'", "then = 'slide', friction = 0.4", "then = 'lodge'",
)  # fmt: skip


def listed(value):
    return np.round(value, 6).tolist()


class Shots(unittest.TestCase):
    def drawn(self, seed):
        """The drill of a random scene by the velocity of all of it, and such a velocity."""
        rng, size, top = np.random.default_rng(seed), 3 if seed % 3 == 2 else 2, seed % 3 == 1
        one = lambda of: of[int(rng.integers(len(of)))]  # noqa: E731
        view = "space" if size == 3 else "top" if top else "side"
        head = f"nivvo = 1\nworld.view = '{view}'\ntick.rate = {one([15, 30, 60])}\n"
        head += f"tick.motion = '{one(['exact', 'exact', 'semi-implicit', 'explicit', 'verlet'])}'\n"
        drag = one(["", "", f"flight.drag.linear = {rng.uniform(0.1, 1.5)}", "flight.drag.square = 0.05"])
        aim = f"direction = {rng.uniform(-180, 180)}"
        aim += f", elevation = {rng.uniform(-80, 80)}" if size == 3 else ""
        many = one(["", "launch.count = 3\nlaunch.ring = 40"])
        shot = (
            f"[ability.rivet]\ninherit_velocity = 1\naim = {{ by = 'fixed', {aim} }}\nshape.ball = 0.12\n"
            f"launch.speed = {rng.uniform(3, 25)}\n{drag}\n{many}\n"
            + "".join(f"on.{group} = {{ {one(ANSWERS)} }}\n" for group in "abc")
            + "limits.life = 3\n"
        )
        wind, bodies = rng.uniform(-4, 4, size), []
        for k in range(int(rng.integers(3, 8))):
            at, e = rng.uniform(-6, 8, size), listed(rng.uniform(0.2, 1.2, size))
            at[0] += 4.0 * (math.hypot(*at[:2]) < 2.5)
            turned = listed(rng.uniform(-40, 40, 3)) if size == 3 else rng.uniform(0, 180)
            plane = "shape.ball = 2" if top else "shape.half_space = 'up'"
            shape = one([
                f"shape.ball = {rng.uniform(0.3, 1.5)}", plane,
                f"shape = {{ box = {listed(rng.uniform(0.4, 5, size))}, turned = {turned} }}",
                f"shape = {{ capsule = [{e}, {[-x for x in e]}], radius = 0.3 }}",
            ])  # fmt: skip
            if shape == plane and not top:
                at[-1] = -rng.uniform(1, 3)
            own = rng.uniform(-3, 3, size) * (rng.random() < 0.3 and shape != plane)
            spins = f"turns = {rng.uniform(-200, 200)}" if rng.random() < 0.2 and shape != plane else ""
            bodies.append((f"[obstacle.b{k}]\nat = {listed(at)}\ngroup = '{'abc'[k % 3]}'\n{shape}\n{spins}\n", own))

        def drill(u):
            keeper = (
                f"world.wind = {listed(wind + u)}\n[shooter.keeper]\nshape.ball = 0.3\nmove.velocity = {listed(u)}\n"
            )
            there = "".join(f"{text}move.velocity = {listed(own + u)}\n" for text, own in bodies)
            case = "[case.c]\nlasts = 2.5\ninput = [{ t = 0.033, tap = 'fire' }, { t = 0.5, tap = 'fire' }]\n"
            return nivvo.parse(head + keeper + shot + there + case)

        return drill, np.round(rng.uniform(-6, 6, size), 3)

    def test_they_meet_what_they_met_when_they_met_it(self):
        met = 0
        for seed in range(18 * TIMES):
            drill, u = self.drawn(seed)
            still, riding = nivvo.fire(drill(0 * u)), nivvo.fire(drill(u))
            words = [[(row["what"], row["projectile"], row["body"]) for row in run.rows("events")]
                     for run in (still, riding)]  # fmt: skip
            self.assertEqual(*words, seed)
            for row, other in zip(still.rows("contacts"), riding.rows("contacts"), strict=True):
                met += 1
                np.testing.assert_allclose(other["time"], row["time"], atol=1e-5, err_msg=str(seed))
                there = [other[axis] - way * other["time"] for axis, way in zip("xyz", u, strict=False)]
                np.testing.assert_allclose(there, [row[axis] for axis in "xyz"[: len(u)]], atol=2e-4, err_msg=str(seed))
        self.assertGreater(met, 60)


class Walkers(unittest.TestCase):
    def drawn(self, seed):
        """As of ``Shots``; who walks, among walls or among what has a mass."""
        rng, size = np.random.default_rng(seed), 2 + seed % 2
        tilt = rng.uniform(-15, 15) * (seed % 4 == 0)
        up = listed([-math.sin(math.radians(tilt)), math.cos(math.radians(tilt))] if size == 2 else [0, 0, 1])
        gait = f"speed = {rng.uniform(2, 5)}, jump = 5" + f", acceleration = {rng.uniform(5, 40)}" * (seed % 3 == 0)
        rate, bodies = int(rng.choice([20, 60, 144])), []
        for k in range(int(rng.integers(1, 4))):
            far, half = 2.0 + 1.5 * k + rng.uniform(0, 0.4), rng.uniform(0.2, 0.6)
            at = np.array([far, math.tan(math.radians(tilt)) * far + half] if size == 2 else [far, 0.1, half])
            text = f"at = {listed(at)}\nshape = {{ box = {[2 * half] * size}, turned = {tilt} }}\n"
            bodies.append((f"[obstacle.c{k}]\n{text}", f"mass = {rng.uniform(0.5, 4)}\n" if seed % 2 else ""))

        def drill(u):
            there = "".join(text + (mass or f"move.velocity = {listed(u)}\n") for text, mass in bodies)
            return nivvo.parse(
                f"nivvo = 1\nworld.view = '{'space' if size == 3 else 'side'}'\ntick.rate = {rate}\n[shooter.keeper]\n"
                f"at = {[0, 0.5] if size == 2 else [0, 0, 0.5]}\nshape.ball = 0.5\nwalk = {{ {gait} }}\n"
                f"[obstacle.ground]\nshape.half_space = {up}\nmove.velocity = {listed(u)}\n"
                f"[ability.rivet]\nlaunch.speed = 9\n{there}"
            )

        acts = sorted((int(tick), kind) for kind in ("walk", "walk", "walk", "jump", "jump")
                      for tick in rng.integers(0, 2 * rate, 1))  # fmt: skip
        acts = [(tick, kind, rng.uniform(-0.3, 1.0)) for tick, kind in [(0, "walk"), *acts]]
        return drill, np.round(rng.uniform(-4, 4, size), 3), acts, 2 * rate

    def test_they_go_where_they_went(self):
        for seed in range(6 * TIMES):
            drill, u, acts, ticks = self.drawn(seed)
            lives = [nivvo.Live(drill(0 * u)), nivvo.Live(drill(u))]
            names = ["keeper", "c0"]
            for tick in range(ticks):
                for live in lives:
                    for _, kind, way in (act for act in acts if act[0] == tick):
                        live.set_walk(way, 0.0) if kind == "walk" else live.tap("jump")
                    live.step()
                for name in names:
                    still, riding = (np.array(live.place(name)) for live in lives)
                    away = np.abs(riding - u * lives[0].time - still).max()
                    # A contact that is lost may be felt half a millisecond late.
                    self.assertLess(away, 1e-2 if seed % 2 else 1e-4, f"{seed} {tick} {name}")


class Pushes(unittest.TestCase):
    def test_who_turns_back_in_the_tick_in_which_he_would_have_come_to_it_pushes_nothing(self):
        for rate in (20, 60):
            live = nivvo.Live(nivvo.parse(
                f"nivvo = 1\ntick.rate = {rate}\n[shooter.keeper]\nat = [0, 0.5]\nshape.ball = 0.5\nwalk.speed = 4\n"
                f"[obstacle.ground]\nshape.half_space = 'up'\n[obstacle.crate]\nat = [{1 + 8.5 * 4 / rate}, 0.5]\n"
                f"shape.box = [1, 1]\nmass = 3\n[ability.rivet]\nlaunch.speed = 9\n"
            ))  # fmt: skip
            at = live.place("crate")
            live.set_walk(1.0, 0.0)
            for tick in range(3 * rate):
                if tick == 8:
                    # Half a tick before he is there.
                    live.set_walk(-1.0, 0.0)
                live.step()
                np.testing.assert_array_equal(live.place("crate"), at, f"{rate} {tick}")


if __name__ == "__main__":
    unittest.main()
