"""Bodies that chase and flee, turning at each tick's start: a slow model of it, and the curve of pursuit."""

import unittest

import numpy as np

import nivvo
from nivvo.errors import DrillError

TEXT = """nivvo = 1
{view}
tick.rate = {rate}
tick.motion = "{motion}"
[shooter.keeper]
at = {home}
shape.ball = 0.3
move.velocity = {walk}
[ability.beacon]
launch.speed = {speed}
flight.gravity_share = 0
limits.life = 4
on.anything.then = "ignore"
{ability}
[target.wisp]
at = {at}
shape.ball = 0.4
health = 10
move = {{ {way} = "keeper", speed = {pace}{keeps} }}
{more}
[case.tap]
input = [{{ t = 0.0, tap = "fire" }}]
"""


def made(**keys):
    base = {"view": "", "rate": 60, "motion": "exact", "home": [0, 0], "walk": [0, 1], "speed": 0, "ability": "",
            "at": [20, 0], "way": "chase", "pace": 3, "keeps": "", "more": ""}  # fmt: skip
    return nivvo.parse(TEXT.format(**{**base, **keys}))


def way_of(run, name="wisp", until=4.0, rate=60):
    motion = run.stage.motions[run.scene.number[name]]
    return np.array([motion.seen(k / rate)[0] for k in range(int(until * rate) + 1)])


class Chase(unittest.TestCase):
    def test_it_turns_at_each_tick_as_a_slow_model_does_in_every_view_and_step(self):
        for view, size in (("", 2), ("world.y = 'down'", 2), ("world.view = 'top'", 2), ("world.view = 'space'", 3)):
            for motion in ("exact", "verlet"):
                for way, sign in (("chase", 1), ("flee", -1)):
                    at, walk = [4.0, 3.0, 1.0][:size], [0.4, 1.0, 0.2][:size]
                    drill = made(view=view, motion=motion, way=way, at=at, walk=walk, home=[0] * size)
                    found = way_of(nivvo.fire(drill))[:, :size]
                    place, expected = np.array(at), []
                    for k in range(len(found)):
                        expected.append(place)
                        to = np.array(walk) * k / 60 - place
                        far = np.linalg.norm(to)
                        pace = sign * 3.0 if sign < 0 else min(3.0, far * 60)
                        place = place + to / far * pace / 60
                    np.testing.assert_allclose(found, expected, atol=1e-9)

    def test_it_keeps_its_distance_and_flees_only_while_near(self):
        near = way_of(nivvo.fire(made(keeps=", keeps = 5", at=[9, 0], walk=[0, 0])))
        np.testing.assert_allclose(np.linalg.norm(near[-1]), 5.0, atol=1e-9)
        away = way_of(nivvo.fire(made(way="flee", keeps=", keeps = 6", at=[2, 1], walk=[0, 0])))
        self.assertAlmostEqual(np.linalg.norm(away[-1]), 6.0, delta=3 / 60 + 1e-9)

    def test_nobody_is_chased_who_is_out(self):
        more = "[target.bait]\nat = [10, 4]\nhealth = 5\nshape.ball = 0.5\n"
        drill = made(more=more, ability="on.targets.damage = 9\naim = { by = 'fixed', direction = 21.8 }", speed=20)
        drill = drill.with_settings({"target.wisp.move.chase": "bait", "ability.beacon.on.targets.then": "end",
                                     "target.wisp.at": [30, -9]})  # fmt: skip
        run = nivvo.fire(drill.with_settings({"case.tap.lasts": 3}))
        out = run.rows("targets")[0]["out_at"]
        self.assertGreater(out, 0.2)
        way = way_of(run, until=2.9)
        late = way[int(out * 60) + 2 :]
        np.testing.assert_allclose(late, late[:1].repeat(len(late), 0), atol=1e-12)

    def test_shots_meet_it_where_it_is(self):
        hits = 0
        for seed in range(12):
            rng = np.random.default_rng(seed)
            drill = made(at=rng.uniform(6, 14, 2).round(2).tolist(), walk=[0, 0], speed=9, pace=4)
            drill = drill.with_settings({"ability.beacon.flight.homing": {"law": "lead", "turn_rate": 400},
                                         "ability.beacon.on.targets.then": "end"})  # fmt: skip
            run = nivvo.fire(drill)
            for row in run.rows("contacts"):
                hits += 1
                place = run.stage.motions[run.scene.number["wisp"]].seen(row["time"])[0][:2]
                self.assertAlmostEqual(np.hypot(*(place - [row["x"], row["y"]])), 0.4, delta=1e-6)
        self.assertGreater(hits, 8)

    def test_what_makes_no_sense_is_told(self):
        for keys, says in (
            ({"way": "chase", "keeps": ", velocity = [1, 0]"}, "one of velocity"),
            ({"more": "[target.b]\nat = [1, 1]\nmove = { chase = 'wips', speed = 2 }"}, "did you mean wisp"),
            ({"more": "[target.b]\nat = [1, 1]\nmove = { chase = 'b', speed = 2 }"}, "no other body"),
            ({"more": "[target.b]\nat = [1, 1]\nmove = { chase = 'wisp' }"}, "go with speed"),
        ):
            with self.assertRaises(DrillError) as caught:
                made(**keys)
            self.assertIn(says, str(caught.exception))
