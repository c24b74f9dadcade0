"""When a shot may touch who fired it."""

import unittest

import numpy as np

import nivvo

VIEWS = (
    'view = "side"', 'view = "side"\ny = "down"', 'view = "top"', 'view = "space"', 'view = "space"\nup = "+y"',
)  # fmt: skip


class Owner(unittest.TestCase):
    def test_who_begins_clear_touches_his_shooter_when_he_comes_to_him_whatever_the_rate(self):
        rng, met, inside = np.random.default_rng(17), 0, 0
        for number in range(60):
            view = VIEWS[number % len(VIEWS)]
            size = 3 if "space" in view else 2
            middle, arm = rng.uniform(-5, 5, size), rng.uniform(-0.8, 0.8, size) * rng.integers(0, 2)
            thick, radius = rng.uniform(0.2, 0.5), rng.uniform(0.05, 0.3)
            forward, direction = rng.uniform(-2, 2), rng.uniform(-15, 15)
            direction += 180 if forward > 0 else 0
            text = f"""
            nivvo = 1
            world = {{ {view.replace(chr(10), ", ")}, gravity = 0 }}
            tick = {{ rate = %d, motion = "%s" }}
            [shooter.keeper]
            at = {middle.tolist()}
            shape = {{ capsule = [{(-arm).tolist()}, {arm.tolist()}], radius = {thick} }}
            muzzle.hand.forward = {forward}
            muzzle.hand.follows = "body"
            [ability.rivet]
            aim = {{ by = "fixed", direction = {direction} }}
            launch.speed = {rng.choice([2, 20, 200])}
            shape.ball = {radius}
            limits.life = 2
            """
            found = []
            for rate, motion in ((20, "exact"), (60, "exact"), (240, "exact"), (60, "semi-implicit")):
                run = nivvo.fire(nivvo.parse(text % (rate, motion)))
                birth = run.births.iloc[0]
                p, v = (birth[[f"{word}{axis}" for axis in "xyz"[:size]]].to_numpy(float) for word in ("", "v"))
                found.append(run.contacts["time"].tolist())
            gaps = self._gaps(p - middle, v, arm, 2 * arm @ (2 * arm)) - thick - radius
            if abs(gaps.min()) < 1e-3 or abs(gaps[0]) < 1e-3:
                # It grazes him.
                continue
            touches = np.flatnonzero(gaps < 0.0) if gaps[0] > 0.0 else []
            with self.subTest(number, view=view):
                for times in found:
                    self.assertEqual(len(times), bool(len(touches)))
                    if len(touches):
                        self.assertAlmostEqual(times[0], 2.0 * touches[0] / (len(gaps) - 1), delta=2e-4)
            met, inside = met + bool(len(touches)), inside + (gaps[0] < 0.0)
        self.assertGreater(met, 8)
        self.assertGreater(inside, 4)

    @staticmethod
    def _gaps(p, v, arm, square):
        """How far a point that goes straight for 2 s is from a line from -arm to arm, at many times."""
        way = p + np.linspace(0.0, 2.0, 20_001)[:, None] * v
        along = np.clip(way @ arm / (0.25 * square), -1.0, 1.0) if square else np.zeros(len(way))
        return np.sqrt(((way - along[:, None] * arm) ** 2).sum(axis=1))


if __name__ == "__main__":
    unittest.main()
