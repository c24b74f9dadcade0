"""Anchors, pulls, blinks that take their time or come late: places by hand, and slow models of who stays."""

import math
import os
import unittest
from unittest import mock

import numpy as np

import nivvo
from nivvo.core import pool
from nivvo.core.numbers.clock import UNITS
from nivvo.core.world.arena import one_tick
from nivvo.errors import DrillError

TEXT = """nivvo = 1
{view}
[shooter.keeper]
at = {home}
shape.ball = 0.4
{shooter}
[ability.hook]
launch = {{ speed = {speed} }}
aim = {{ by = "fixed", direction = {direction} }}
flight.gravity_share = 0
shape.ball = 0.05
limits.life = {life}
{rule}
{more}
[case.tap]
input = [{input}]
"""


def made(**keys):
    base = {"view": "", "home": [0, 0], "shooter": "", "speed": 20, "direction": 0, "life": 3, "rule": "", "more": "",
            "input": '{ t = 0, tap = "fire" }'}  # fmt: skip
    return nivvo.parse(TEXT.format(**{**base, **keys}))


def taps(*times):
    return ", ".join(f'{{ t = {t}, tap = "fire" }}' for t in times)


def place(run, name, time):
    return run.stage.motions[run.scene.number[name]].seen(time)[0]


class Anchor(unittest.TestCase):
    def test_the_oldest_makes_room_and_it_fits_only_where_it_is_flat_and_free(self):
        # A board from y = -2 to 2; a bale lies on it from y = 0.5 on.
        more = """[target.board]
at = [6, 0]
shape.box = [0.2, 4]
health = 5
[obstacle.bale]
at = [5.8, 1]
shape.box = [0.2, 1]
"""
        rule = 'on.targets = { then = "end", anchor = { size = 0.3, most = 2 } }'
        for angle, fits in ((0.0, True), (-14.0, True), (-17.5, False), (2.5, False)):
            run = nivvo.fire(made(direction=angle, rule=rule, more=more))
            row = next(row for row in run.rows("events") if row["what"] == "anchored")
            self.assertEqual(row["detail"] == "", fits, (angle, row))
        run = nivvo.fire(made(rule=rule, more=more, input=taps(0, 0.5, 1.0, 1.5)))
        rows = run.rows("anchors")
        self.assertEqual([row["anchor"] for row in rows], ["hook-1", "hook-2", "hook-3", "hook-4"])
        gone = [row["until"] for row in rows]
        self.assertEqual(gone[2:], [math.inf, math.inf])
        np.testing.assert_allclose(gone[:2], [rows[2]["time"], rows[3]["time"]])
        np.testing.assert_allclose([rows[0]["x"], rows[0]["y"], rows[0]["normal_x"]], [5.9, 0.0, -1.0], atol=1e-9)

    def test_two_abilities_make_a_pair_and_it_goes_along_with_its_body(self):
        more = """[ability.mate]
firing.button = "mate"
launch.speed = 20
flight.gravity_share = 0
on.walls = { then = "end", anchor = { pairs_with = "hook" } }
[obstacle.barge]
at = [8, 0]
shape.box = [1, 20]
group = "walls"
move.velocity = [0, 1.5]
"""
        rule = 'on.walls = { then = "end", anchor = { pairs_with = "mate" } }'
        text = taps(0) + ', { t = 0.5, tap = "mate" }'
        run = nivvo.fire(made(rule=rule, more=more, input=text))
        self.assertEqual([row["linked_with"] for row in run.rows("anchors")], ["mate-1", "hook-1"])
        live = nivvo.Live(made(rule=rule, more=more))
        live.press("fire")
        for _ in range(60):
            live.step()
        (one,) = live.anchors
        touched = run.rows("anchors")[0]
        np.testing.assert_allclose(one.place, [7.5, touched["y"] + 1.5 * (1.0 - touched["time"])], atol=1e-9)
        live.remove("barge")
        self.assertEqual(live.anchors, [])

    def test_on_tilted_faces_in_space_it_is_the_slow_answer(self):
        rng, seen = np.random.default_rng(2), set()
        for _ in range(40):
            turn = rng.uniform(-40, 40, 3)
            half, size = np.array([0.5, rng.uniform(0.5, 2), rng.uniform(0.5, 2)]), rng.uniform(0.2, 1.0)
            more = f"[obstacle.board]\nat = [8, 0, 0]\nshape.box = {(2 * half).tolist()}\n"
            more += f"shape.turned = {turn.tolist()}\ngroup = 'walls'"
            rule = f'on.walls = {{ then = "end", anchor.size = {size} }}'
            run = nivvo.fire(made(view='world.view = "space"', home=[0, 0, 0], rule=rule, more=more))
            told = [row for row in run.rows("events") if row["what"] == "anchored"]
            if not told:
                continue
            row = run.scene.bodies[run.scene.number["board"]]
            axes = np.array([row[f"axis{k}"] for k in range(3)])
            event = next(one for one in run.record.events if one["kind"] == 21)
            contact = run.rows("contacts")[0]
            local = axes @ (np.array([contact["x"], contact["y"], contact["z"]]) - row["c0"])
            face = int(np.argmax(np.abs(axes @ event["normal"])))
            # A disc about the point stays on the face: it is no nearer to any of its edges than it is large.
            fits = min(row["half"][k] - abs(local[k]) for k in range(3) if k != face) >= size
            # The rule looks at sixteen points of its rim.
            near = abs(min(row["half"][k] - abs(local[k]) for k in range(3) if k != face) - size) < 0.03 * size
            if not near:
                self.assertEqual(told[0]["detail"] == "", fits)
                seen.add(fits)
        self.assertEqual(seen, {True, False})


MATE = """[ability.mate]
firing.button = "mate"
launch.speed = 20
aim = {{ by = "fixed", direction = {direction} }}
flight.gravity_share = 0
on.walls = {{ then = "end", anchor = {{ pairs_with = "hook", opens = 2 }} }}
[ability.pot]
firing.button = "pot"
launch.speed = {speed}
aim = {{ by = "fixed", direction = {to} }}
shape.ball = 0.2
on.shooters.then = "ignore"
flight.drag.linear = {drag}
limits.life = 1.5
on.walls = {{ then = "{then}"{more} }}
"""
OPEN = 'on.walls = { then = "end", anchor.opens = 2 }'
WALL = '[obstacle.{name}]\nat = {at}\nshape = {{ box = {box}, turned = {turn} }}\ngroup = "walls"\n{way}\n'
THREE = '{ t = 0, tap = "fire" }, { t = 0, tap = "mate" }, { t = 1, tap = "pot" }'


class Opened(unittest.TestCase):
    def test_between_walls_that_face_it_flies_on_as_if_there_was_nothing(self):
        for view, motion, drag in (("up", "exact", 0), ("down", "exact", 0.2), ("up", "verlet", 0)):
            flights = []
            for y in (2, 500):
                walls = WALL.format(name="left", at=[-6, y], box=[1, 9], turn=0, way="")
                walls += WALL.format(name="right", at=[7, y], box=[1, 9], turn=0, way="")
                to = -20 if view == "down" else 20
                pot = MATE.format(direction=180, speed=12, to=to, drag=drag, then="end", more="")
                world = f"world.y = '{view}'\ntick.motion = '{motion}'"
                flights.append(nivvo.fire(made(view=world, rule=OPEN, more=pot + walls, input=THREE)))
            (event,) = (row for row in flights[0].rows("events") if row["what"] == "went through")
            self.assertTrue(event["detail"].startswith("in at hook-1, out at mate-1"), event)
            for time in (1.2, event["time"] + 1e-9, event["time"] + 0.1, 2.3):
                (p, v), (q, w) = (run.flight("pot-1").at(time) for run in flights)
                shift = [-(12 - 2 * 0.2) if time > event["time"] else 0.0, 0.0, 0.0]
                np.testing.assert_allclose(p, q + shift, atol=1e-7)
                np.testing.assert_allclose(v, w, atol=1e-7)
            self.assertAlmostEqual(flights[0].flight("pot-1").length(), flights[1].flight("pot-1").length(), delta=1e-6)
            # Drawn it is two lines: up to where it went in, and on from where it came out.
            line = flights[0].flight("pot-1").line(np.linspace(1.0, 2.4, 50))
            (k,) = np.flatnonzero(np.isnan(line[:, 0]))
            np.testing.assert_allclose(line[k - 1, :2] - [6.3, line[k - 1, 1]], 0.0, atol=1e-9)
            self.assertLess(line[k + 1, 0], -5.0)

    def test_what_flies_back_comes_back(self):
        """Through random turned walls that move, in four views: its speed stays as they see it, and back is back."""
        rng, seen = np.random.default_rng(8), 0
        for seed in range(24):
            view = ("view = 'side'", "y = 'down'", "view = 'top'", "view = 'space'")[seed % 4]
            size = 3 if "space" in view else 2
            bodies = ""
            for name, x in (("l", -8), ("r", 8)):
                turn = rng.uniform(-35, 35, 3).round(2).tolist() if size == 3 else round(rng.uniform(-40, 40), 2)
                at, way = [x, *rng.uniform(-1, 1, size - 1).round(2)], rng.uniform(-1, 1, size).round(2)
                at = [float(x) for x in at]
                way = f"move.velocity = {[float(x) for x in way]}"
                bodies += WALL.format(name=name, at=at, box=[1.0] + [9.0] * (size - 1), turn=turn, way=way)
            more = MATE.format(direction=180, speed=16, to=rng.uniform(-6, 6), drag=0, then="bounce",
                               more=", restitution = 0.8") + "flight.gravity_share = 0\n"  # fmt: skip
            drill = made(view=f"world.{view}", home=[0] * size, rule=OPEN, more=more + bodies, input=THREE)
            digests = []
            for mode in ("never", "always"):
                with mock.patch.dict(os.environ, NIVVO_COMPILE=mode):
                    run = nivvo.fire(drill)
                    digests.append(run.digest)
            self.assertEqual(*digests)
            events = run.record.events
            through = np.flatnonzero(events["kind"] == pool.WENT_THROUGH)
            for k in through:
                seen += 1
                came, went = events[k - 1], events[k]
                into, out = came["v"] - came["u"], went["v"] - went["u"]
                self.assertAlmostEqual(np.linalg.norm(into), np.linalg.norm(out), delta=1e-9)
                self.assertAlmostEqual(into @ came["normal"], -(out @ went["normal"]), delta=1e-9)
                back = fly_back(run, went, came)
                np.testing.assert_allclose(back["v"] - back["u"], -into, atol=1e-9)
                np.testing.assert_allclose(back["p"], came["p"], atol=1e-7)
        self.assertGreater(seen, 15)

    def test_over_the_seams_of_a_wall_of_blocks_as_through_one(self):
        rng, through = np.random.default_rng(3), 0
        for turn in (0.0, 25.0, -40.0):
            s, c = math.sin(math.radians(turn)), math.cos(math.radians(turn))
            far, high = WALL.format(name="left", at=[-6, 0], box=[1, 9], turn=0, way=""), 9 / 13
            places = [(k + 0.5) * high - 4.5 for k in range(13)]
            boxes = [f"at = [{7 - y * s}, {y * c}], shape = {{ box = [1, {high}], turned = {turn} }}" for y in places]
            walls = {
                "whole": WALL.format(name="right", at=[7, 0], box=[1, 9], turn=turn, way=""),
                "blocks": "".join(
                    f"[obstacle.b{k}]\n{one.replace(', shape', chr(10) + 'shape')}\ngroup = 'walls'\n"
                    for k, one in enumerate(boxes)
                ),
                "parts": f"[obstacle.right]\ngroup = 'walls'\nparts = [{', '.join(f'{{ {one} }}' for one in boxes)}]\n",
            }
            for to in rng.uniform(-14, 14, 5):
                came = {}
                for name, wall in walls.items():
                    pot = MATE.format(direction=180, speed=12, to=to, drag=0, then="end", more="")
                    more = pot + "flight.gravity_share = 0\n" + far + wall
                    rule = 'on.walls = { then = "end", anchor = { opens = 2, size = 1.5 } }'
                    run = nivvo.fire(made(rule=rule, more=more, input=THREE))
                    self.assertEqual(len(run.rows("anchors")), 2, (turn, name))
                    rows = [row for row in run.rows("events") if row["what"] == "went through"]
                    came[name] = [*(row["time"] for row in rows), *run.flight("pot-1").p[-1]]
                for name in ("blocks", "parts"):
                    np.testing.assert_allclose(came[name], came["whole"], atol=1e-6, err_msg=f"{turn} {to} {name}")
                through += len(came["whole"]) > 3
        self.assertGreater(through, 9)

    def test_where_blocks_leave_a_gap_it_does_not_fit(self):
        for gap, fits in ((0.0, True), (1e-3, False), (0.2, False)):
            wall = "".join(
                WALL.format(name=f"b{k}", at=[7, 0.5 + k * (1 + gap)], box=[1, 1], turn=0, way="") for k in range(-3, 3)
            )
            rule = 'on.walls = { then = "end", anchor.size = 1.2 }'
            run = nivvo.fire(made(rule=rule, more=wall))
            told = next(row for row in run.rows("events") if row["what"] == "anchored")
            self.assertEqual(told["detail"] == "", fits, gap)

    def test_what_leads_nowhere_is_told(self):
        for mate, says in (("", "linked with nothing"), (MATE.replace(", opens = 2", ""), "not open")):
            more = mate.format(direction=180, speed=16, to=0, drag=0, then="end", more="") + Blink.WALL
            with self.assertRaises(DrillError) as caught:
                made(rule=OPEN, more=more + 'group = "walls"\n')
            self.assertIn(says, str(caught.exception))


def fly_back(run, went, came):
    """The event of what flies straight back into where something came out, at that very time."""
    arena = run.scene.arena(sampled=False)
    arena.set_bodies(run.stage.arena.bodies.copy())
    time = int(went["start"] + went["after"] * UNITS)
    arena.open(run.stage.arena.openings, run.stage.arena.openings["body"].tolist())
    param = arena.new_params(np.zeros(3), 0.2, then=pool.END)
    # From a little before, as it would have been there then.
    back = 2 * went["u"] - went["v"]
    arena.put(param, went["p"] - 1e-6 * back, back, 1, time - round(1e-6 * UNITS))
    arena.run(one_tick(time - round(1e-6 * UNITS), time + 1000, 0))
    return next(event for event in arena.take_events() if event["kind"] == pool.WENT_THROUGH)


class Pull(unittest.TestCase):
    def test_what_is_touched_comes_up_to_the_gap_or_to_what_stands_between(self):
        crate = "[target.crate]\nat = [8, 0]\nshape.box = [1, 1]\ngroup = 'crates'\n"
        rule = 'on.crates = { then = "end", pull = { speed = 4, gap = 0.25 } }'
        run = nivvo.fire(made(rule=rule, more=crate))
        start = math.ceil(run.rows("contacts")[0]["time"] * 60) / 60
        np.testing.assert_allclose(place(run, "crate", start + 1.0)[:2], [4.0, 0.0], atol=1e-9)
        np.testing.assert_allclose(place(run, "crate", 9.0)[:2], [0.4 + 0.25 + 0.5, 0.0], atol=1e-9)
        post = "[obstacle.post]\nat = [4, 0.6]\nshape.box = [0.2, 0.4]\ngroup = 'posts'\n"
        run = nivvo.fire(made(rule=rule, more=crate + post))
        np.testing.assert_allclose(place(run, "crate", 9.0)[0], 4.1 + 0.5, atol=1e-6)

    def test_what_has_a_mass_is_given_the_speed_and_slides_on(self):
        crate = "[target.crate]\nat = [8, 0]\nshape.box = [1, 1]\ngroup = 'crates'\nmass = 7\nfriction = 0.2\n"
        rule = 'on.crates = { then = "end", pull.speed = 3 }'
        run = nivvo.fire(made(view='world.view = "top"', rule=rule, more=crate))
        self.assertAlmostEqual(place(run, "crate", 9.0)[0], 8 - 9 / (2 * 0.2 * 9.81), delta=1e-9)


class Blink(unittest.TestCase):
    WALL = "[obstacle.wall]\nat = [10, 0]\nshape.box = [1, 9]\n"

    def test_over_a_time_it_goes_straight_at_its_speed_and_turns(self):
        for pace in ("speed = 6", "lasts = 0.7"):
            run = nivvo.fire(made(rule=f"on.anything.blink = {{ {pace}, turns = true }}", more=self.WALL, direction=160,
                                  home=[0, 0]).with_settings({"obstacle.wall.at": [-10.0, 0.0]}))  # fmt: skip
            start = math.ceil(run.rows("contacts")[0]["time"] * 60) / 60
            goal = place(run, "keeper", 30.0)
            takes = np.linalg.norm(goal) / 6 if "speed" in pace else 0.7
            for share in (0.25, 0.5, 0.9):
                np.testing.assert_allclose(place(run, "keeper", start + share * takes), share * goal, atol=1e-9)
        np.testing.assert_allclose(goal[0], -9.5 + 0.4, atol=1e-4)
        player = run.stage.players["keeper"]
        self.assertEqual(player.facing(10**13)[0], -1.0)

    def test_when_none_is_left_it_goes_to_where_the_last_one_ended_once(self):
        rule = 'when.again = { blink = {}, none_left = "there" }'
        run = nivvo.fire(made(rule=rule, life=0.2, input=taps(0, 0.5, 1.0)))
        blinks = [row for row in run.rows("events") if row["what"] == "blinked"]
        self.assertEqual([row["time"] for row in blinks], [0.5])
        self.assertEqual(len(run.rows("shots")), 2)
        start = run.rows("shots")[0]["x"]
        np.testing.assert_allclose(place(run, "keeper", 0.9)[0], start + 4.0, atol=1e-9)
        for none, shots in (("fire", 3), ("nothing", 1)):
            one = nivvo.fire(made(rule=rule.replace("there", none), life=0.2, input=taps(0, 0.5, 1.0)))
            self.assertEqual(len(one.rows("shots")), shots)

    def test_what_makes_no_sense_is_told(self):
        for rule, says in (
            ('when.again = { then = "end", none_left = "there" }', "blink or a blast"),
            ('on.anything = { then = "ignore", pull.speed = 3 }', "nothing follows"),
            ("on.anything.pull = { gap = 3 }", "speed"),
            ("on.anything.anchor = { pairs_with = 'hok' }", "hook"),
            ("on.anything.anchor = { most = 0 }", "most"),
            ("on.anything.blink = { speed = 0 }", "speed"),
            ("on.anything.blink = { speed = 3, lasts = 1 }", "not both"),
        ):
            with self.assertRaises(DrillError, msg=rule) as caught:
                made(rule=rule, more=self.WALL)
            self.assertIn(says, str(caught.exception), rule)


if __name__ == "__main__":
    unittest.main()
