"""Splits and the moments they come at: when, where, which way, how far apart, how often; by closed forms and counts."""

import itertools
import math
import unittest

import numpy as np

import nivvo
from nivvo.errors import DrillError

VIEWS = {"up": ("world.y = 'up'", 2), "down": ("world.y = 'down'", 2), "top": ("world.view = 'top'", 2)}
VIEWS["space"] = ("world.view = 'space'", 3)
ONE = "launch.speed = 6\nflight.gravity_share = 0"
FRY = "launch.speed = 6\nlaunch.count = {count}\nlaunch.{spread}\nflight.gravity_share = 0\nshape.ball = 0.1"


def made(when, *, view="up", launch="launch.speed = 14", fry=None, more="", taps=((0.0, "fire"),)):
    """A drill of a shoal; ``when``: what stands in its table when."""
    rows = ", ".join(f'{{ t = {t}, tap = "{button}" }}' for t, button in taps)
    fry = FRY.format(count=3, spread="fan = 50") if fry is None else fry
    return nivvo.parse(
        f"nivvo = 1\n{VIEWS[view][0]}\n[ability.shoal]\n{launch}\nlimits.life = 3\n[ability.shoal.when]\n{when}\n"
        f"[ability.fry]\nlimits.life = 0.2\n{fry}\n{more}\n[case.tap]\nability = 'shoal'\ninput = [{rows}]\n"
    )


def sent_of(run):
    return [row for row in run.record.births if row["parent"] >= 0]


class Moments(unittest.TestCase):
    def test_each_comes_at_its_time_and_place(self):
        v, up, g = 14.0, math.radians(55), 9.81
        launch = "launch.speed = 14\nlaunch.elevation = 55"
        for rate, motion in ((60, "exact"), (20, "exact"), (1, "exact")):
            for when, time in (
                ("apex.sends.ability = 'fry'", v * math.sin(up) / g),
                ("age = { at = 0.345, sends.ability = 'fry' }", 0.345),
            ):
                drill = made(when, launch=launch, fry=ONE, more=f"[tick]\nrate = {rate}\nmotion = '{motion}'")
                run = nivvo.fire(drill)
                birth = sent_of(run)[0]
                why = when.partition(".")[0].split()[0]
                self.assertEqual([row["why"] for row in run.rows("births")], ["shot", why])
                start = run.record.births[0]["p"]
                at = start + [v * math.cos(up) * time, v * math.sin(up) * time - g * time**2 / 2, 0]
                self.assertAlmostEqual(birth["time"] / 693e9, time, places=9)
                np.testing.assert_allclose(birth["p"], at, atol=1e-8)

    def test_the_apex_through_drag_and_wind_is_where_it_ceases_to_rise(self):
        launch = "launch.speed = 20\nlaunch.elevation = 70\nflight.drag.square = 0.04"
        for wind in ([0, 0], [3, 1]):
            drill = made("apex = { then = 'go on', sends.ability = 'fry' }", launch=launch, fry=ONE)
            drill = drill.with_settings({"world.wind": wind})
            run = nivvo.fire(drill)
            parent = run.rows("projectiles")[0]
            birth = sent_of(run)[0]
            self.assertAlmostEqual(float(birth["p"][1] - run.record.births[0]["p"][1]), parent["apex"], delta=1e-6)
            self.assertGreater(parent["ended"], birth["time"] / 693e9)

    def test_flown_and_near_are_exact(self):
        run = nivvo.fire(
            made("flown = { at = 9.5, sends.ability = 'fry' }", launch="launch.speed = 14\nlaunch.elevation = 60")
        )
        self.assertAlmostEqual(run.rows("projectiles")[0]["path_length"], 9.5, places=9)
        for view, (_, size) in VIEWS.items():
            at = [9.0, 1.0] if size == 2 else [9.0, 1.0, 0.5]
            more = f"[target.wisp]\nat = {at}\nshape.ball = 0.5\nmove.velocity = {[-1.0, 0.3, 0.1][:size]}\n"
            drill = made("near = { within = 1.5, sends.ability = 'fry' }", view=view, more=more)
            drill = drill.with_settings({"ability.shoal.flight.gravity_share": 0} if view != "top" else {})
            run = nivvo.fire(drill)
            time = run.rows("projectiles")[0]["ended"]
            wisp = np.array(at) + time * np.array([-1.0, 0.3, 0.1][:size])
            row = run.rows("projectiles")[0]
            end = np.array([row[f"end_{axis}"] for axis in "xyz"[:size]])
            self.assertEqual(row["ended_by"], "near")
            self.assertAlmostEqual(np.linalg.norm(end - wisp), 0.5 + 0.1 + 1.5, places=9)

    def test_what_is_near_already_is_near_before_it_touches_whether_sampled_or_swept(self):
        for gap in (0.9, 0.4, 0.05):
            for touch in ("swept", "at ticks"):
                at = [0.31 + 0.1 + gap + 0.5, 0]
                more = f"[target.wisp]\nat = {at}\nshape.ball = 0.5\nhealth = 9\n[tick]\ncontacts = '{touch}'\n"
                more += "[shooter.keeper]\nshape.ball = 0.2\nmuzzle.hand = { forward = 0.31, up = 0 }"
                launch = "launch.speed = 2\nmuzzle = 'hand'\nflight.gravity_share = 0\nshape.ball = 0.1\nmass = 1"
                launch += "\nhits_owner = 'never'\non.anything = { then = 'bounce', restitution = 0.5, damage = 1 }"
                for then in ("end", "go on"):
                    run = nivvo.fire(made(f"near = {{ within = 1, then = '{then}' }}", launch=launch, more=more))
                    rows = [row for row in run.rows("events") if row["what"] != "fired"]
                    self.assertEqual((rows[0]["what"], rows[0]["time"]), ("ended" if then == "end" else "moment", 0.0))
                    touched = [r["time"] for r in rows if r["what"] in ("contact", "overlap") and r["body"] == "wisp"]
                    if then == "end":
                        self.assertEqual(touched, [])
                    else:
                        self.assertEqual(len(touched), 1)
                        self.assertLessEqual(abs(touched[0] - gap / 2), 1 / 60 if touch == "at ticks" else 1e-9)

    def test_ended_follows_every_end(self):
        wall = "[obstacle.wall]\nat = [8, 0]\nshape.box = [1, 9]"
        for changed, why in (
            ({"ability.shoal.limits.life": 0.4}, "life"),
            ({"ability.shoal.limits.reach": 5}, "reach"),
            ({}, "contact"),
            ({"world.bounds": [[-9, -9], [6, 9]]}, "bounds"),
        ):
            run = nivvo.fire(made("ended.sends.ability = 'fry'", more=wall).with_settings(changed))
            self.assertEqual(run.rows("projectiles")[0]["ended_by"], why)
            self.assertEqual(len(sent_of(run)), 3, why)

    def test_a_press_splits_and_is_no_shot_unless_it_says_so(self):
        taps = ((0.0, "fire"), (0.4137, "fire"), (0.6, "fire"))
        run = nivvo.fire(made("again.sends.ability = 'fry'", taps=taps))
        self.assertEqual([row["time"] for row in run.rows("shots")], [0.0, 0.6])
        self.assertAlmostEqual(sent_of(run)[0]["time"] / 693e9, 0.4137, places=11)
        both = nivvo.fire(made("again = { also_fires = true, sends.ability = 'fry' }", taps=taps))
        self.assertEqual([row["time"] for row in both.rows("shots")], [0.0, 0.4137, 0.6])


class Split(unittest.TestCase):
    def test_directions_gaps_and_places_at_every_heading(self):
        rng = np.random.default_rng(2)
        for view, count in itertools.product(VIEWS, (2, 3, 5, 8)):
            for spread in ("fan = 60", "ring = 70"):
                gap, speed = rng.uniform(0, 0.5), rng.uniform(0.5, 300)
                fry = FRY.format(count=count, spread=spread).replace("speed = 6", f"speed = {speed}")
                launch = f"launch.speed = 9\naim = {{ by = 'fixed', direction = {rng.uniform(-180, 180):.3f} }}"
                drill = made(
                    f"age = {{ at = 0.2, sends.ability = 'fry', sends.gap = {gap} }}", view=view, fry=fry, launch=launch
                )
                run = nivvo.fire(drill)
                kids, parent = sent_of(run), run.record.flown(int(run.record.births[0]["key"]))
                self.assertEqual(len(kids), count)
                p, v = np.array([row["p"] for row in kids]), np.array([row["v"] for row in kids])
                np.testing.assert_allclose(np.linalg.norm(v, axis=1), speed, rtol=1e-12)
                # Born along their ways, from where it split, and so far that neighbours leave the gap.
                off = p - parent.last_p
                np.testing.assert_allclose(np.cross(off, v), 0.0, atol=1e-9 * speed)
                self.assertTrue((np.einsum("ij,ij->i", off, v) > 0).all())
                gaps = [np.linalg.norm(a - b) - 0.2 for a, b in itertools.combinations(p, 2)]
                self.assertAlmostEqual(min(gaps), gap, places=9)
                # They part from then on.
                later = p + v / speed
                self.assertTrue((np.array([np.linalg.norm(a - b) for a, b in itertools.combinations(later, 2)])
                                 > np.array(gaps) + 0.2).all())  # fmt: skip
                # Symmetric about the way of the one that split.
                mean = v.sum(axis=0)
                way = parent.last_v / np.linalg.norm(parent.last_v)
                np.testing.assert_allclose(mean / np.linalg.norm(mean), way, atol=1e-12)

    def test_a_fan_may_stand_upright_in_space(self):
        for roll, across in ((0, [0, 1, 0]), (90, [0, 0, 1])):
            fry = FRY.format(count=2, spread=f"fan = 40\nlaunch.fan_roll = {roll}")
            run = nivvo.fire(made("age = { at = 0.2, sends.ability = 'fry' }", view="space", fry=fry).with_settings(
                {"ability.shoal.flight.gravity_share": 0}))  # fmt: skip
            v = np.array([row["v"] for row in sent_of(run)])
            apart = v[1] - v[0]
            np.testing.assert_allclose(np.abs(apart) / np.linalg.norm(apart), across, atol=1e-12)

    def test_speed_and_damage_are_kept_or_shared(self):
        fry = FRY.format(count=4, spread="fan = 40") + "\non.targets.damage = 100"
        wall = "[target.wisp]\nat = [8, 0]\nshape.box = [1, 40]\nhealth = 1000\n"
        for damage, expected in (("own", 100), ("kept", 30), ("shared", 7.5)):
            sends = f"ability = 'fry', damage = '{damage}', speed = 'kept', speed_share = 2"
            when = f"age = {{ at = 0.1, sends = {{ {sends} }} }}"
            drill = made(when, fry=fry, more=wall, launch="launch.speed = 30\non.targets.damage = 30")
            run = nivvo.fire(
                drill.with_settings({"ability.shoal.flight.gravity_share": 0, "ability.fry.limits.life": 2})
            )
            self.assertEqual([row["amount"] for row in run.rows("effects")], [expected] * 4)
            for row in sent_of(run):
                self.assertAlmostEqual(np.linalg.norm(row["v"]), 60.0, places=9)

    def test_children_split_as_often_as_they_may(self):
        base = "again = {{ of = 'all', sends = {{ ability = 'shoal', generations = {} }} }}"
        taps = [(0.1 * k, "fire") for k in range(5)]
        launch = "launch.speed = 14\nlaunch.count = 2\nlaunch.fan = 30\nflight.gravity_share = 0"
        for generations, births in ((1, 2 + 4 + 2 + 4 + 2), (2, 2 + 4 + 8 + 2 + 4), (4, 2 + 4 + 8 + 16 + 32)):
            run = nivvo.fire(made(base.format(generations), taps=taps, launch=launch))
            self.assertEqual(len(run.record.births), births, generations)
        default = made("again = { of = 'all', sends.ability = 'shoal' }", taps=taps, launch=launch)
        self.assertEqual(len(nivvo.fire(default).record.births), 14)

    def test_a_thousand_presses_at_once_never_exceed_the_budget(self):
        taps = [(0.0, "fire")] + [(0.1 + 1e-4 * k, "fire") for k in range(1000)]
        when = "again = { then = 'go on', sends = { ability = 'fry', budget = 100 } }"
        run = nivvo.fire(made(when, taps=taps), patient=True)
        self.assertEqual(len(sent_of(run)), 99)
        told = [row["detail"] for row in run.rows("events") if row["what"] == "refused"]
        self.assertIn("its shot's budget of 100 is used up", told)

    def test_the_projectiles_of_a_shot_share_its_budget(self):
        launch = "launch = { speed = 14, count = 5, fan = 40 }"
        when = "age = { at = 0.3, sends = { ability = 'shoal', generations = 6, budget = 60 } }"
        for taps, shots in (([(0, "fire")], 1), ([(0, "fire"), (0.1, "fire")], 2)):
            run = nivvo.fire(made(when, taps=taps, launch=launch))
            self.assertEqual(len(sent_of(run)), 60 * shots)

    def test_the_scene_takes_no_more_than_it_may(self):
        taps = [(0.01 * k, "fire") for k in range(30)]
        drill = made("age = { at = 0.5, sends.ability = 'fry' }", taps=taps).with_settings(
            {"world.most_in_the_air": 20}
        )
        run = nivvo.fire(drill)
        self.assertLessEqual(int(run.in_the_air()[1].max()), 20)
        told = {row["detail"] for row in run.rows("events") if row["what"] == "refused"}
        self.assertEqual(told, {"only 20 may be in the air at once, of all"})

    def test_none_is_born_in_a_wall(self):
        when = "age = { at = 0.3, sends.ability = 'fry', sends.gap = 2 }"
        wall = "[obstacle.roof]\nat = [5, 0.9]\nshape.half_space = 'down'\n"
        drill = made(when, more=wall, launch="launch.speed = 14\nflight.gravity_share = 0")
        run = nivvo.fire(drill)
        self.assertLessEqual(max(float(row["p"][1]) for row in sent_of(run)), 0.9 - 0.1 + 1e-9)
        self.assertFalse([row for row in run.rows("contacts") if row["overlap"] > 1e-9])

    def test_what_makes_no_sense_is_told(self):
        for when, says in (
            ("age.sends.ability = 'fry'", "at: is missing"),
            ("age = { at = 9, sends.ability = 'fry' }", "before its life"),
            ("again.sends.ability = 'frys'", "did you mean fry"),
            ("apex.sends = { ability = 'fry', along = 'normal' }", "no contact"),
            ("near.within = 2", "no target"),
            ("apex.sends = { ability = 'fry', budget = 0 }", "budget"),
            ("apex.sends = { ability = 'fry', speed_share = 2 }", "speed_share is for"),
        ):
            with self.assertRaises(DrillError, msg=when) as caught:
                made(when)
            self.assertIn(says, str(caught.exception), when)
        for count in (0, 10**6):
            with self.assertRaises(DrillError):
                made("apex.sends.ability = 'fry'", fry=FRY.format(count=count, spread="fan = 20"))
