"""How near something comes: one answer, exact, whoever asks."""

import unittest

import numpy as np

import nivvo
from nivvo.core import pool
from nivvo.core.geometry.approach import Span, least
from tests.deep import DEEP
from tests.play.test_turned import Scene


class Least(unittest.TestCase):
    def test_against_many_samples_of_paths_that_bend_about_convex_shapes(self):
        rng = np.random.default_rng(3)
        for _ in range(200):
            p, v, a = (rng.normal(size=3) * s for s in (4.0, 5.0, 6.0))
            axes = np.linalg.qr(rng.normal(size=(3, 3)))[0]
            half, span = rng.uniform(0.1, 2.0, 3), float(rng.uniform(0.5, 3.0))

            def near(t, p=p, v=v, a=a, axes=axes, half=half):
                local = axes @ (p + v * t + a * t * t / 2)
                out = local - np.clip(local, -half, half)
                far = np.linalg.norm(out)
                if far > 0.0:
                    return far, float(out @ (axes @ (v + a * t))) / far
                k = int(np.argmax(np.abs(local) - half))
                return float(np.max(np.abs(local) - half)), float(np.sign(local[k]) * (axes @ (v + a * t))[k])

            gap, when = least([Span(0.0, span, near, float(np.linalg.norm(a)))], 1e-12)
            times = np.linspace(0.0, span, 4000)[:, None]
            local = (p + v * times + a * times * times / 2) @ axes.T
            far = np.linalg.norm(local - np.clip(local, -half, half), axis=1)
            sampled = np.where(far > 0.0, far, (np.abs(local) - half).max(axis=1)).min()
            self.assertLessEqual(gap, sampled + 1e-12)
            self.assertGreater(gap, sampled - 1e-3)
            self.assertAlmostEqual(near(when)[0], gap, delta=1e-12)

    def test_of_two_valleys_the_deeper_is_found(self):
        near = lambda t: (1.0 + np.cos(2 * np.pi * t) - 0.01 * t, -2 * np.pi * np.sin(2 * np.pi * t) - 0.01)  # noqa: E731
        gap, when = least([Span(0.0, 5.0, near, 4 * np.pi**2)], 1e-9)
        self.assertAlmostEqual(when, 4.5, delta=1e-3)
        self.assertAlmostEqual(gap, -0.045, delta=1e-4)


class OneAnswer(unittest.TestCase):
    def test_a_pursuer_came_as_near_as_it_was_when_another_put_its_mark_out(self):
        run = nivvo.fire(
            nivvo.parse(
                "nivvo = 1\nworld.gravity = 0\ntick.rate = 10\n[target.wisp]\nat = [10, 0]\nshape.ball = 0.5\n"
                "health = 1\n[ability.dart]\nlaunch.speed = 64\nshape.ball = 0.1\non.targets.damage = 1\n"
                "[ability.tern]\nlaunch.speed = 20\nshape.ball = 0.1\nflight.homing.turn_rate = 90\n"
                "[case.c]\ninput = [{ t = 0, tap = 'fire' }]\n"
            )
        )
        out = next(row["time"] for row in run.rows("events") if row["what"] == "out")
        (row,) = run.rows("pursuits")
        gap = 10 - 0.6 - run.rows("births")[1]["x"] - 20 * out
        self.assertGreater(row["until"], out + 0.01)
        self.assertAlmostEqual(row["closest"], gap, delta=1e-9)
        self.assertAlmostEqual(nivvo.measure(run, "nearest", "wisp")[0], 0.0, delta=1e-9)
        self.assertAlmostEqual(nivvo.closest(run, "wisp", "tern").gap, gap, delta=1e-9)

    def test_as_near_as_it_lay_deep_in_what_put_it_out(self):
        rng, seen = np.random.default_rng(11), 0
        for k, motion in enumerate(["exact", "semi-implicit", "explicit", "verlet"] * 3):
            scene = Scene(rng, 2 + k % 2)
            scene.add(("wall", "box", "capsule")[k % 3], 0)
            run = nivvo.fire(
                nivvo.parse(
                    f'nivvo = 1\nworld.view = "{"space" if k % 2 else "side"}"\ntick.contacts = "at ticks"\n'
                    f'tick.motion = "{motion}"\n[ability.a]\nlaunch = {{ speed = 14, fan = 330, count = 12 }}\n'
                    "aim.by = 'nearest'\nshape.ball = 0.1\non.anything = { then = 'bounce', restitution = 0.5 }\n"
                    + scene.texts[0].replace("obstacle.", "target.")
                )
            )
            for row in run.rows("contacts")[:1]:
                name = row["projectile"]
                near = nivvo.closest(run, row["body"], name)
                with self.subTest(k=k, motion=motion):
                    self.assertGreater(row["overlap"], 0.0)
                    self.assertLessEqual(near.gap, -row["overlap"] + 1e-9)
                    place = run.record.events["p"][run.record.events["kind"] == pool.OVERLAP][0]
                    before = run.flight(name).at(row["time"] - 1e-9)[0]
                    np.testing.assert_allclose(before, place, atol=1e-7)
                    seen += 1
        self.assertGreater(seen, 8)

    def test_closest_agrees_with_many_samples_over_scenes_turned_and_moved(self):
        rng = np.random.default_rng(5)
        for size in (2, 3):
            for k in range(12):
                scene = Scene(rng, size)
                scene.add(("wall", "box", "capsule", "ball")[k % 4], 0)
                drag = float(rng.choice([0.0, 0.4]))
                step = ("exact", "semi-implicit")[k % 3 == 2]
                made = nivvo.parse(
                    f'nivvo = 1\n[world]\nview = "{"side" if size == 2 else "space"}"\n[tick]\nmotion = "{step}"\n'
                    f"[ability.a]\nlaunch.speed = 13\nlaunch.elevation = 30\nlimits.life = 1.5\nshape.ball = 0.1\n"
                    f'flight.drag.linear = {drag}\non.anything.then = "ignore"\n' + scene.texts[0]
                )
                run = nivvo.fire(made)
                name = next(iter(made.model.obstacle))
                near = nivvo.closest(run, name)
                path = run.flight("a-1")
                times = np.linspace(path.t[0], path.t[-1], 4000)
                gaps = scene.distances[0](path.at(times)[0], times) - 0.1
                outside = max(float(gaps.min()), 0.0)
                self.assertLessEqual(max(near.gap, 0.0), outside + 1e-9)
                self.assertGreater(max(near.gap, 0.0), outside - 1e-2)

    def test_an_arc_that_says_it_clears_does_and_one_that_does_not_is_not_fired(self):
        rng = np.random.default_rng(8)
        fired = refused = 0
        thrust = "flight.thrust = {{ acceleration = 6, along = '{}', after = 0.2, lasts = 0.5 }}"
        flights = ("", "flight.drag.linear = 0.1", "flight.push = [-1, 1]", *map(thrust.format, ("velocity", "launch")))
        for k in range(60):
            x, y = float(rng.uniform(4, 16)), float(rng.uniform(0.5, 7))
            radius, margin = float(rng.choice([0.01, 0.05, 0.5])), (0.05, 9.0)[k % 4 == 1]
            drift = f"move.velocity = [{float(rng.normal()) * 0.5!r}, 0]\n" if k % 2 else ""
            step = ("exact", "explicit")[k % 4 == 3]
            made = nivvo.parse(
                f'nivvo = 1\n[tick]\nmotion = "{step}"\n[ability.a]\naim.by = "cursor"\nlaunch.speed = 15\n'
                f'launch.arc = "low"\nlaunch.clears = "bead"\nlaunch.margin = {margin}\nshape.ball = 0.05\n'
                f'{flights[k % 5]}\non.anything.then = "pass"\nlimits.life = 5\n'
                f"[obstacle.bead]\nat = [{x!r}, {y!r}]\nshape.ball = {radius}\n{drift}"
                f'[case.c]\ninput = [{{ t = 0, cursor = [18, 1], tap = "fire" }}]\n'
            )
            run = nivvo.fire(made)
            if run.fired:
                fired += 1
                note = run.fired[0].note
                told = float(note.rpartition("clears bead by ")[2].split()[0])
                number, path = run.scene.number["bead"], run.flight("a-1")
                arrives = float(note.partition("after ")[2].split()[0])
                gap = run.stage.least_gap(number, path, 0.05, 0.0, arrives)[0]
                self.assertGreaterEqual(gap, margin - 1e-6)
                self.assertAlmostEqual(gap, told, delta=2e-3 * max(told, 1.0))
                self.assertFalse([row for row in run.rows("contacts") if row["time"] < arrives - 1e-3])
            else:
                refused += 1
                self.assertIn("no arc clears", run.refused[0].refused)
        self.assertGreater(fired, 20)
        self.assertGreater(refused, 0)

    def test_the_obstacle_that_a_solution_tells_is_the_nearest_of_all(self):
        rng, seen = np.random.default_rng(2), 0
        flights = ("", "flight.drag.linear = 0.3\n")
        for k in range(16 if DEEP else 2):
            flat, step = k % 2 == 0, ("exact", "explicit")[k // 2 % 2]
            size, world = (2, "") if flat else (3, 'view = "space"')
            text = f'nivvo = 1\ntick.motion = "{step}"\n[world]\n{world}\n[ability.a]\naim.by = "cursor"\n'
            text += f"launch.speed = 19\nshape.ball = 0.1\nlimits.life = 6\n{flights[k % 3 == 2]}"
            for n in range(12):
                at, half = rng.uniform(-12, 26, size).tolist(), rng.uniform(0.4, 3, size).tolist()
                turned = rng.uniform(0, 180) if flat else rng.uniform(0, 180, 3).tolist()
                text += f"[obstacle.post{n}]\nat = {at}\nshape = {{ box = {half}, turned = {turned} }}\n"
                text += ("", "", "turns = 70\n", f"move.velocity = {rng.uniform(-2, 2, size).tolist()}\n")[n % 4]
            point = [18.0, 1.0] if flat else [16.0, 4.0, 1.0]
            made = nivvo.parse(f'{text}[case.c]\ninput = [{{ t = 0, cursor = {point}, tap = "fire" }}]\n')
            for one in nivvo.solve(made, elevation=50.0, apex=9.0):
                stage, until = one.run.stage, one.path.moves_at + one.flight_time
                gaps = {
                    name: stage.least_gap(number, one.path, 0.1, float(one.path.t[0]), until)[0]
                    for name, number in one.run.scene.number.items()
                    if name.startswith("post")
                }
                self.assertEqual(one.near, min(gaps, key=gaps.get), (k, one.how))
                self.assertAlmostEqual(one.least_gap, min(gaps.values()), delta=1e-9)
                seen += 1
        self.assertGreater(seen, 5)


class Clear(unittest.TestCase):
    def test_rounding_rings_no_alarm(self):
        made = nivvo.parse(
            'nivvo = 1\n[world]\nview = "top"\nunit = "px"\n[shooter.k]\nshape.ball = 16\nmuzzle.m.forward = 20\n'
            '[ability.a]\nlaunch.speed = 300\nshape.ball = 4\naim.by = "stick"\nlimits.life = 1\n'
        )
        found = nivvo.clearance(made)
        self.assertEqual(found.least, 0.0)
        self.assertFalse((found.gaps < 0.0).any())
        just = made.with_settings({"shooter.k.muzzle.m.forward": 20.0 - 1e-6})
        self.assertAlmostEqual(nivvo.clearance(just).least, -1e-6, delta=1e-11)

    def test_every_heading_of_touching_pairs_of_sizes(self):
        rng = np.random.default_rng(2)
        for _ in range(20):
            body, shot = (round(float(x), 2) for x in rng.uniform(1, 40, 2))
            made = nivvo.parse(
                f"nivvo = 1\n[shooter.k]\nshape.ball = {body}\nmuzzle.m.forward = {body + shot!r}\n"
                f'[ability.a]\nlaunch.speed = 3\nshape.ball = {shot}\naim.by = "stick"\n'
            )
            self.assertGreaterEqual(nivvo.clearance(made).least, 0.0)


class Holds(unittest.TestCase):
    TEXT = """nivvo = 1
[ability.a]
firing = {{ kind = "charge", full_after = 1.25 }}
launch.speed = 12
launch.elevation = {{ by = "held", points = {points} }}
[obstacle.ground]
shape.half_space = "up"
[shooter.k]
at = [0, 0.5]
"""

    def test_a_turning_point_is_one(self):
        found = nivvo.hold_table(nivvo.parse(self.TEXT.format(points="[[0, 10], [1.25, 80]]")))
        turn = found.turns_back
        ranges = {row["held"]: row["range"] for row in found.rows}
        self.assertIn(turn, ranges)
        self.assertEqual(max(ranges.values()), ranges[turn])
        text = self.TEXT.format(points="[[0, 10], [1.25, 80]]")

        def far(held):
            rows = f'[case.c]\ninput = [{{ t = 0, hold = "fire", held = {held!r} }}]\n'
            return nivvo.fire(nivvo.parse(text + rows)).rows("projectiles")[0]["range"]

        for more in (1e-4, 1e-3, 0.02, 0.2):
            self.assertGreater(far(turn), far(turn + more))
            self.assertGreater(far(turn), far(turn - more))

    def test_a_reach_that_stays_does_not_reach_farthest(self):
        from nivvo.show.words import compared

        words = compared(nivvo.hold_table(nivvo.parse(self.TEXT.format(points="[[0, 30], [1.25, 30]]"))))
        self.assertIn("reach is the same at every hold", words)
        words = compared(nivvo.hold_table(nivvo.parse(self.TEXT.format(points="[[0, 10], [1.25, 30]]"))))
        self.assertIn("reach does not turn back: the longest hold reaches farthest", words)
