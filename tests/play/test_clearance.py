"""Clearance: against geometry, and against what firing at that aim finds."""

import unittest

import numpy as np

import nivvo
from tests.cli.calls import call
from tests.deep import DEEP
from tests.play.drills import drill

TEXT = """nivvo = 1
[shooter.keeper]
{shooter}
[ability.flare]
{ability}
[case.tap]
{case}
"""


def made(muzzle, shape="ball = 0.5", **parts):
    parts.setdefault("ability", 'aim.by = "cursor"\nlaunch = { speed = 5 }')
    parts.setdefault("case", "input = [{ t = 0, cursor = [9, 9], tap = 'fire' }]")
    shooter = f"at = [0, 5]\nshape.{shape}\nmuzzle.hand = {{ {muzzle} }}"
    return nivvo.parse(TEXT.format(shooter=shooter, ability=parts["ability"], case=parts["case"]))


class Clearances(unittest.TestCase):
    def test_a_box_is_worst_toward_its_corner_and_the_offset_told_just_clears_it(self):
        shape = "box = [2.0, 1.0]"
        found = nivvo.clearance(made("forward = 0.9", shape))
        self.assertLess(found.least, 0.0)
        good = nivvo.clearance(made(f"forward = {found.clear_forward}", shape))
        self.assertGreaterEqual(good.least, -1e-9)
        less = nivvo.clearance(made(f"forward = {found.clear_forward - 0.01}", shape))
        self.assertLess(less.least, 0.0)
        # Along x the side is farthest: 1 from the middle, and the projectile's radius.
        self.assertAlmostEqual(abs(np.cos(np.radians(found.direction))), 1.0, delta=0.2)

    def test_a_muzzle_that_follows_the_body_is_asked_at_both_facings_and_is_the_same(self):
        found = nivvo.clearance(made('forward = 0.7, up = 0.2, follows = "body"', "box = [1.0, 1.8]"))
        self.assertEqual((found.turns_with, len(found.gaps)), ("facing", 2))
        self.assertEqual(found.gaps[0], found.gaps[1])
        self.assertAlmostEqual(found.gaps[0], 0.7 - 0.5 - 0.1, delta=1e-12)

    def test_it_is_what_the_shot_has_at_that_aim(self):
        found = nivvo.clearance(made("forward = 0.8, up = 0.3", "box = [1.0, 1.8]"))
        for k in range(0, 360, 45):
            direction = float(np.degrees(np.arctan2(found.headings[k][1], found.headings[k][0])))
            ability = f'launch.speed = 5\naim = {{ by = "fixed", direction = {direction} }}'
            fired = made("forward = 0.8, up = 0.3", "box = [1.0, 1.8]", ability=ability)
            self.assertAlmostEqual(nivvo.fire(fired).rows("shots")[0]["clearance"], found.gaps[k], delta=1e-12)

    def test_in_space_every_elevation_is_asked_too(self):
        text = "nivvo = 1\nworld.view = 'space'\n[shooter.k]\nat = [0, 0, 1]\nshape.box = [0.6, 0.6, 1.8]\n"
        text += "muzzle.hand.forward = 0.6\n[ability.a]\naim.by = 'nearest'\nlaunch.speed = 5\n"
        found = nivvo.clearance(nivvo.parse(text))
        self.assertAlmostEqual(found.least, 0.6 - 0.9 - 0.1, delta=1e-9)
        self.assertAlmostEqual(abs(found.elevation), 90.0, delta=1e-9)
        self.assertGreater(found.clear_forward, 0.99)
        held = nivvo.clearance(nivvo.parse(text.replace("'nearest'", "'nearest'\naim.elevation_within = [-20, 35]")))
        # Held so, it is beside the box: nearest as high as it may, and next to a corner.
        x, y = 0.6 * np.cos(np.radians(35)) * np.array([np.cos(np.radians(40)), np.sin(np.radians(40))]) - 0.3
        self.assertAlmostEqual(held.least, np.hypot(x, y) - 0.1, delta=1e-9)

    def test_fire_tells_of_it_when_some_aim_starts_inside(self):
        import tempfile
        from pathlib import Path

        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "drill.toml"
            path.write_text("nivvo = 1\n[shooter.k]\nmuzzle.hand.forward = 0.3\n[ability.a]\nlaunch.speed = 5\n")
            out = call("fire", path)[1]
            self.assertIn("starts 0.3 m inside its own shooter at some aim", out)
            self.assertIn("forward = 0.6", out)
            path.write_text("nivvo = 1\n[ability.a]\nlaunch.speed = 5\n")
            self.assertNotIn("inside its own shooter", call("fire", path)[1])

    def test_only_aims_that_the_ability_has_are_asked(self):
        lob = "launch.speed = 5\nlaunch.elevation = 90"
        found = nivvo.clearance(made("forward = 0.7", "box = [1.0, 1.8]", ability=lob))
        self.assertAlmostEqual(found.least, 0.7 - 0.9 - 0.1, delta=1e-12)
        flat = nivvo.clearance(made("forward = 0.7", "box = [1.0, 1.8]", ability="launch.speed = 5"))
        self.assertAlmostEqual(flat.least, 0.7 - 0.5 - 0.1, delta=1e-12)

    def test_it_is_the_least_of_all_shots_that_the_ability_can_fire(self):
        rng, seen = np.random.default_rng(8), set()
        for n in range(60 if DEEP else 8):
            top, follows, by = bool(n % 2), ("aim", "body")[n // 2 % 2], ("stick", "cursor")[n // 4 % 2]
            box = f"box = {rng.uniform(0.4, 1.6, 2).tolist()}, turned = {rng.uniform(0, 90)}"
            limits = [f"snap = {rng.choice([4, 8])}"] if by == "stick" and rng.integers(2) else []
            if rng.integers(2):
                low, high = np.sort(rng.uniform(-80, 80, 2)).round(1).tolist()
                limits.append(f"{'direction' if top else 'elevation'}_within = [{low}, {high}]")
            count = f"facing_count = {rng.choice([4, 8])}" if top and rng.integers(2) else ""
            text = (
                f"nivvo = 1\nworld.view = '{'top' if top else 'side'}'\n[shooter.keeper]\nshape = {{ {box} }}\n"
                f"facing_follows = '{by}'\n{count}\n[shooter.keeper.muzzle.hand]\nforward = {rng.uniform(0.4, 1)}\n"
                f"{'right' if top else 'up'} = {rng.uniform(-0.3, 0.3)}\nfollows = '{follows}'\n"
                f"[ability.a]\nlaunch.speed = 5\naim = {{ {', '.join([f'by = {by!r}', *limits])} }}\n"
            )
            found, rose = nivvo.clearance(nivvo.parse(text)), nivvo.rose(nivvo.parse(text), count=360)
            # A degree apart, and the one half way between: they differ by less than a muzzle goes in that.
            self.assertAlmostEqual(found.least, min(rose.clearances), delta=0.011, msg=text)
            self.assertLess(abs(found.least - min(rose.clearances)), 1e-9 if count and follows == "body" else 1, text)
            seen.add(found.least < 0)
        self.assertEqual(seen, {True, False})

    def test_unknown_abilities_are_told(self):
        with self.assertRaises(nivvo.CallError):
            nivvo.clearance(drill(), ability="flair")
