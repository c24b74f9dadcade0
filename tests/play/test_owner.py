"""When a shot may touch who fired it."""

import unittest

import numpy as np

import nivvo
from tests.deep import DEEP

VIEWS = (
    'view = "side"', 'view = "side"\ny = "down"', 'view = "top"', 'view = "space"', 'view = "space"\nup = "+y"',
)  # fmt: skip


class Owner(unittest.TestCase):
    def test_who_begins_clear_touches_his_shooter_when_he_comes_to_him_whatever_the_rate(self):
        rng, met, inside = np.random.default_rng(17), 0, 0
        for number in range(200 if DEEP else 30):
            view = VIEWS[number % len(VIEWS)]
            size = 3 if "space" in view else 2
            arm, goes = rng.uniform(-0.8, 0.8, size) * rng.integers(0, 2), rng.normal(0, 2, size) * rng.integers(0, 2)
            thick, radius, time = rng.uniform(0.2, 0.5), rng.uniform(0.05, 0.3), rng.uniform(0, 0.2)
            forward, direction = rng.uniform(-2, 2), rng.uniform(-15, 15)
            text = f"""
            nivvo = 1
            world = {{ {view.replace(chr(10), ", ")}, gravity = 0 }}
            tick = {{ rate = %d, motion = "%s" }}
            [shooter.keeper]
            at = {rng.uniform(-5, 5, size).tolist()}
            {f"move.velocity = {goes.tolist()}" if goes.any() else ""}
            shape = {{ capsule = [{(-arm).tolist()}, {arm.tolist()}], radius = {thick} }}
            muzzle.hand = {{ forward = {forward}, follows = "body" }}
            [ability.rivet]
            aim = {{ by = "fixed", direction = {direction + (180 if forward > 0 else 0)} }}
            launch = {{ speed = {rng.choice([2, 20, 200])}, count = 3, fan = 40 }}
            inherit_velocity = {rng.choice([0, 0.5, 1])}
            shape.ball = {radius}
            limits.life = 1
            [case.c]
            input = [{{ t = {time}, tap = "fire" }}]
            """
            runs = [
                nivvo.fire(nivvo.parse(text % way))
                for way in ((20, "exact"), (60, "exact"), (240, "exact"), (60, "semi-implicit"))
            ]
            births, scene = runs[0].births, runs[0].scene
            middle = scene.frame.drop(runs[0].stage.motions[scene.number["keeper"]].at(0)[0]) + goes * time
            for row in range(3):
                p, v = (
                    births.iloc[row][[f"{word}{axis}" for axis in "xyz"[:size]]].to_numpy(float) for word in ("", "v")
                )
                gaps = self._gaps(p - middle, v - goes, arm) - thick - radius
                if abs(gaps.min()) < 1e-3 or abs(gaps[0]) < 1e-3:
                    # It grazes him.
                    continue
                touches = np.flatnonzero(gaps < 0.0) if gaps[0] > 0.0 else []
                for run in runs:
                    mine = run.contacts[run.contacts["projectile"] == f"rivet-1.{row + 1}"]["time"].tolist()
                    with self.subTest(number, view=view, row=row):
                        self.assertEqual(len(mine), bool(len(touches)))
                        if len(touches):
                            self.assertAlmostEqual(mine[0] - time, touches[0] / (len(gaps) - 1), delta=1e-4)
                met, inside = met + bool(len(touches)), inside + (gaps[0] < 0.0)
        self.assertGreater(met, 20)
        self.assertGreater(inside, 10)

    @staticmethod
    def _gaps(p, v, arm):
        """How far a point that goes straight for 1 s is from a line from -arm to arm, at many times."""
        way = p + np.linspace(0.0, 1.0, 20_001)[:, None] * v
        along = np.clip(way @ arm / (arm @ arm), -1.0, 1.0) if arm.any() else np.zeros(len(way))
        return np.sqrt(((way - along[:, None] * arm) ** 2).sum(axis=1))


if __name__ == "__main__":
    unittest.main()
