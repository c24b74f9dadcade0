"""What contacts do: piercing, lodging, armour, blasts, scores, removal and totals, each by hand."""

import math
import unittest

import numpy as np

import nivvo
from nivvo.errors import DrillError


def made(answers, bodies, *, launch="launch.speed = 20", more="", case="", view=""):
    return nivvo.parse(
        f"nivvo = 1\n{view}\n[ability.rivet]\n{launch}\nflight.gravity_share = 0\nshape.ball = 0.1\nlimits.life = 3\n"
        f"{answers}\n{more}\n{bodies}\n[case.tap]\n{case}\n"
    )


def row_of_wisps(count, health=100, step=2.0, extra=""):
    return "".join(
        f"[target.w{k}]\nat = [{4 + step * k}, 0]\nshape.ball = 0.4\nhealth = {health}\n{extra}\n" for k in range(count)
    )


def damage_of(run):
    return {row["body"]: row["amount"] for row in run.rows("effects") if row["effect"] == "damage"}


class Pierce(unittest.TestCase):
    def test_it_goes_through_as_many_as_it_may_and_loses_its_share(self):
        answer = "on.targets = { then = 'pass', pierces = 3, speed_kept = 0.5, damage_kept = 0.8, damage = 50 }"
        run = nivvo.fire(made(answer, row_of_wisps(5)))
        self.assertEqual(list(damage_of(run)), ["w0", "w1", "w2", "w3"])
        np.testing.assert_allclose(list(damage_of(run).values()), [50, 40, 32, 25.6])
        np.testing.assert_allclose([row["speed"] for row in run.rows("contacts")], [20, 10, 5, 2.5])
        self.assertEqual(run.rows("projectiles")[0]["ended_by"], "last body")

    def test_bodies_that_touch_are_each_met_once_at_any_heading(self):
        for turn in (0, 33, 120, 251):
            s, c = math.sin(math.radians(turn)), math.cos(math.radians(turn))
            bodies = "".join(
                f"[target.w{k}]\nat = [{(4 + 0.8 * k) * c}, {(4 + 0.8 * k) * s}]\nshape.ball = 0.4\n" for k in range(6)
            )
            launch = f"launch.speed = 200\naim = {{ by = 'fixed', direction = {turn} }}"
            run = nivvo.fire(made("on.targets = { then = 'pass', damage = 1 }", bodies, launch=launch))
            self.assertEqual([row["body"] for row in run.rows("contacts")], [f"w{k}" for k in range(6)])


class Lodge(unittest.TestCase):
    def test_the_angle_at_its_limit_decides_and_otherwise_says_what_happens(self):
        for off, then in ((-0.01, "lodge"), (0.01, "bounce")):
            wall = f"[obstacle.board]\nat = [6, 0]\nshape.box = [0.2, 9]\nshape.turned = {25 + off}\n"
            answer = (
                "on.anything = { then = 'lodge', within = 25, otherwise = 'bounce', restitution = 0.5, depth = 0.05 }"
            )
            run = nivvo.fire(made(answer, wall))
            self.assertEqual(run.rows("contacts")[0]["then"], then)
        # It lies as deep as it went in.
        wall = "[obstacle.board]\nat = [6, 0]\nshape.box = [0.2, 9]\n"
        run = nivvo.fire(made("on.anything = { then = 'lodge', depth = 0.05 }", wall))
        self.assertAlmostEqual(run.rows("projectiles")[0]["end_x"], 5.9 - 0.1 + 0.05, places=9)

    def test_what_spins_sticks_by_its_pointed_end_alone_in_every_view_and_spins_no_more(self):
        rng, seen = np.random.default_rng(5), set()
        for world, size in (("", 2), ("world.y = 'down'", 2), ("world.view = 'top'", 2), ("world.view = 'space'", 3)):
            for follows in ("'launch'", *(f"'spin'\nheading.spin = {spin}" for spin in rng.uniform(-900, 900, 12))):
                wall = f"[obstacle.wall]\nat = {[6.0] + [0.0] * (size - 1)}\nshape.box = {[0.2] + [9.0] * (size - 1)}\n"
                wall += f"shape.turned = {rng.uniform(-20, 20)}\n"
                text = f"nivvo = 1\n{world}\n[ability.knife]\nlaunch.speed = 9\nflight.gravity_share = 0\n"
                text += (
                    f"limits.life = 2\nheading.follows = {follows}\non.anything = {{ then = 'lodge', within = 60 }}\n"
                )
                run = nivvo.fire(nivvo.parse(text + wall))
                contact = run.rows("contacts")[0]
                n = np.array([contact[f"normal_{axis}"] for axis in "xyz"[:size]])
                spin = float(follows.partition("spin = ")[2] or 0)
                turned = np.radians(spin * contact["time"])
                # It leaves along +x, and turns from x toward y.
                points = np.array([np.cos(turned), np.sin(turned), 0.0])[:size]
                sticks = -points @ n >= np.cos(np.radians(60))
                rests = [row["time"] for row in run.rows("events") if row["what"] == "came to rest"]
                self.assertEqual(bool(rests), sticks, (world, follows))
                seen.add(sticks)
                if sticks:
                    path = run.path("knife-1")
                    after = path[path["time"] > contact["time"]]["heading_direction"]
                    gap = (after - np.degrees(turned) + 180) % 360 - 180
                    self.assertLess(np.abs(gap).max(), 1e-6, (world, follows))
        self.assertEqual(seen, {True, False})

    def test_what_is_dropped_points_as_it_was_aimed(self):
        text = "nivvo = 1\n[shooter.keeper]\nat = [0, 5]\n[ability.dart]\nlaunch.speed = 0\naim = {{ by = 'fixed', "
        text += "direction = {} }}\nheading.follows = 'launch'\nlimits.life = 3\n"
        text += "on.anything = {{ then = 'lodge', within = 20 }}\n[obstacle.deck]\nshape.half_space = 'up'\n"
        for direction, sticks in ((-75, True), (-65, False)):
            run = nivvo.fire(nivvo.parse(text.format(direction)))
            self.assertEqual(any(row["what"] == "came to rest" for row in run.rows("events")), sticks)
            np.testing.assert_allclose(run.path("dart-1")["heading_direction"], direction, atol=1e-9)

    def test_only_its_first_touch_if_it_says_so(self):
        bodies = "[obstacle.net]\nat = [3, 0]\nshape.box = [0.2, 9]\ngroup = 'nets'\n"
        bodies += "[obstacle.board]\nat = [6, 0]\nshape.box = [0.2, 9]\n"
        answer = "on.nets.then = 'pass'\non.obstacles = { then = 'lodge', first_touch = true }"
        ended = nivvo.fire(made(answer, bodies)).rows("projectiles")[0]
        self.assertEqual(ended["ended_by"], "contact")


class Health(unittest.TestCase):
    def test_armour_soaking_and_healing(self):
        for soaks, armour, expected in ((0.25, 0, 30), (0, 15, 25), (0.25, 15, 15), (0, 60, None)):
            bodies = row_of_wisps(1, extra=f"soaks = {soaks}\narmour = {armour}")
            found = damage_of(nivvo.fire(made("on.targets.damage = 40", bodies)))
            self.assertEqual(found.get("w0"), expected)
        healing = lambda bodies: made(  # noqa: E731
            "on.targets = { heals = 30 }\n[ability.hurt]\nlaunch.speed = 40\nflight.gravity_share = 0\n"
            "firing.button = 'hurt'\non.targets.damage = 50",
            bodies,
            case="input = [{ t = 0, tap = 'hurt' }, { t = 1, tap = 'fire' }, { t = 2, tap = 'fire' }]",
        )
        run = nivvo.fire(healing(row_of_wisps(1)))
        self.assertEqual(
            [(row["effect"], row["amount"], row["before"], row["after"]) for row in run.rows("effects")],
            [("damage", 50, 100, 50), ("healing", 30, 50, 80), ("healing", 20, 80, 100)],
        )
        # What was healed was dealt all the same; who has no health has none to get.
        target = run.rows("targets")[0]
        self.assertEqual((target["damage"], target["health_left"]), (50, 100))
        self.assertEqual([nivvo.measure(run, name, "w0")[0] for name in ("damage", "health")], [50, 100])
        run = nivvo.fire(healing("[target.w0]\nat = [10, 0]\n"))
        self.assertEqual([row["effect"] for row in run.rows("effects")], ["damage"])


class Blast(unittest.TestCase):
    def test_each_falloff_by_the_gap_to_each_surface(self):
        wall = "[obstacle.wall]\nat = [10, 0]\nshape.box = [1, 20]\n"
        others = [(9.0, 2.0), (8.0, -3.0), (9.0, 7.0)]
        bodies = wall + "".join(
            f"[target.w{k}]\nat = [{x}, {y}]\nshape.ball = 0.5\nhealth = 1000\n" for k, (x, y) in enumerate(others)
        )
        point = np.array([9.5, 0.0])
        gaps = [max(np.hypot(*(point - at)) - 0.5, 0.0) / 4.0 for at in others]
        for falloff, share in (
            ("falloff = 'none'", lambda x: 1.0),
            ("falloff = 'linear'", lambda x: 1 - x),
            ("falloff = 'smooth'", lambda x: 1 - 3 * x**2 + 2 * x**3),
            ("points = [[0, 1], [0.5, 0.8], [1, 0.2]]", lambda x: np.interp(x, [0, 0.5, 1], [1, 0.8, 0.2])),
        ):
            run = nivvo.fire(made(f"on.obstacles.blast = {{ radius = 4, damage = 80, {falloff} }}", bodies))
            found = damage_of(run)
            for k, gap in enumerate(gaps):
                if gap <= 1.0 and share(gap) > 0:
                    self.assertAlmostEqual(found[f"w{k}"], 80 * share(gap), places=9)
                else:
                    self.assertNotIn(f"w{k}", found)
            # That it pushes too hurts nobody more, and not the wall.
            pushes = made(f"on.obstacles.blast = {{ radius = 4, damage = 80, impulse = 3, {falloff} }}", bodies)
            self.assertEqual(damage_of(nivvo.fire(pushes.with_settings({"obstacle.wall.mass": 9.0}))), found)

    def test_the_share_of_a_body_partly_behind_a_wall(self):
        # Seen from (0, 0), a wall at x = 5 from y = 0 upward hides half of a ball at (10, 0), all of one at (10, 4).
        wall = "[obstacle.wall]\nat = [4.95, 10]\nshape.box = [0.1, 20]\n"
        bodies = wall + "".join(
            f"[target.w{k}]\nat = [10, {y}]\nshape.ball = 1\nhealth = 1000\n" for k, y in enumerate((0.0, 4.0, -4.0))
        )
        launch = "launch.speed = 1\nmuzzle = 'hand'\nlimits.life = 0.001"
        more = "[shooter.keeper]\nmuzzle.hand.forward = 0\nhealth = 1000\nshape.ball = 0.05\n"
        answers = (
            "when.ended.blast = { radius = 12, damage = 100, falloff = 'none', shaded = true, spares = ['owner'] }"
        )
        text = made(answers, bodies, launch=launch.replace("\nlimits.life = 0.001", ""), more=more)
        run = nivvo.fire(text.with_settings({"ability.rivet.limits.life": 0.001}))
        found = damage_of(run)
        self.assertAlmostEqual(found["w0"], 50.0, delta=1.6)
        self.assertNotIn("w1", found)
        self.assertAlmostEqual(found["w2"], 100.0)
        self.assertNotIn("keeper", found)

    def test_a_burst_on_a_seam_of_a_wall_hurts_all_before_it_and_nobody_behind(self):
        answer = (
            "on.obstacles = { then = 'end', blast = { radius = 12, damage = 60, falloff = 'none', shaded = true } }"
        )
        for high in (1.0, 0.3, 0.7):
            # A wall of blocks, seams at every multiple of their height; the burst is on one.
            blocks = ((k + 0.5) * high for k in range(-20, 20))
            wall = "".join(f"[obstacle.w{k}]\nat = [5, {y}]\nshape.box = [0.5, {high}]\n" for k, y in enumerate(blocks))
            for seam in range(4):
                here = f"{seam * high}]\nshape.ball = 0.3\nhealth = 99\n"
                bodies = f"{wall}[target.before]\nat = [2, 6]\nhealth = 99\n[target.behind]\nat = [9, {here}"
                found = damage_of(nivvo.fire(made(answer, bodies, more=f"[shooter.keeper]\nat = [0, {here}")))
                self.assertEqual(found, {"keeper": 60.0, "before": 60.0}, (high, seam))

    def test_the_share_that_is_seen_goes_by_the_shape_itself(self):
        # A wall hides all below y = 1.2. A triangle reaches from 1 below its middle to 2 above: 13 of 64 lines pass.
        wall = "[obstacle.wall]\nat = [99, -8.8]\nshape.box = [0.1, 20]\n"
        corner = "[target.w0]\nat = [102, 0]\nshape.polygon = [[-1, -1], [1, -1], [0, 2]]\nhealth = 1000\n"
        answer = "when.ended.blast = { radius = 120, damage = 96, falloff = 'none', shaded = true, spares = ['owner'] }"
        more = "[shooter.keeper]\nat = [0, 1.2]\nmuzzle.hand.forward = 0\nshape.ball = 0.05\n"
        drill = made(answer, wall + corner, launch="launch.speed = 1\nmuzzle = 'hand'", more=more)
        found = damage_of(nivvo.fire(drill.with_settings({"ability.rivet.limits.life": 0.001})))
        self.assertAlmostEqual(found["w0"], 96 * 13 / 64)

    def test_the_struck_and_the_owner_are_spared_if_it_says_so_and_the_dead_are_out_for_who_comes_later(self):
        bodies = row_of_wisps(2, health=10, step=1.0)
        base = "on.targets = {{ damage = 0, blast = {{ radius = 3, damage = 50, falloff = 'none', spares = [{}] }} }}"
        both = nivvo.fire(made(base.format(""), bodies))
        self.assertEqual(set(damage_of(both)), {"w0", "w1"})
        taps = "input = [{ t = 0, tap = 'fire' }, { t = 0.001, tap = 'fire' }]"
        spared = nivvo.fire(made(base.format("'struck'"), bodies, case=taps))
        self.assertEqual([row["body"] for row in spared.rows("contacts")], ["w0", "w0"])
        self.assertEqual(list(damage_of(spared)), ["w1"])

    def test_a_body_that_a_blast_puts_out_is_not_touched_later_in_the_same_tick(self):
        bodies = row_of_wisps(2, health=10, step=1.0)
        answers = "on.targets = { then = 'pass', blast = { radius = 5, damage = 50, falloff = 'none' } }"
        run = nivvo.fire(made(answers, bodies, launch="launch.speed = 500"))
        self.assertEqual([row["body"] for row in run.rows("contacts")], ["w0"])


class Score(unittest.TestCase):
    def test_rings_on_a_tilted_board(self):
        rings = "score = { rings = [[0.5, 50], [1.5, 20], [3, 5]], points = 1 }"
        for tilt in (0, 30, -50):
            for miss, points in ((0.0, 50), (0.45, 50), (0.55, 20), (1.45, 20), (2.0, 5), (3.2, 1)):
                # Where on the board: so far along it from its middle; its face is half its thickness before that.
                s, c = math.sin(math.radians(tilt)), math.cos(math.radians(tilt))
                x, y = 10 - 0.1 * c + miss * s, -0.1 * s - miss * c
                board = f"[target.board]\nat = [{10 - x + 9}, {-y}]\nshape.box = [0.2, 8]\nshape.turned = {tilt}\n"
                answer = f"on.targets = {{ then = 'end', {rings} }}"
                drill = made(answer, board).with_settings({"ability.rivet.shape.ball": 1e-6})
                run = nivvo.fire(drill)
                self.assertEqual(run.rows("scores")[0]["points"], points, (tilt, miss))

    def test_a_streak_counts_more_and_more(self):
        case = "input = [" + ", ".join(f"{{ t = {t}, tap = 'fire' }}" for t in (0.0, 0.5, 1.0, 4.0)) + "]"
        answer = "on.targets.score = { points = 10, streak_within = 1.0, streak_times = 3, streak_most = 5 }"
        run = nivvo.fire(made(answer, row_of_wisps(1), case=case))
        self.assertEqual([row["points"] for row in run.rows("scores")], [10, 30, 50, 10])
        self.assertEqual(run.rows("scores")[-1]["total"], 100)
        self.assertEqual(run.rows("totals")[0]["score"], 100)

    def test_removed_is_out_whatever_its_health(self):
        bodies = "[obstacle.crate]\nat = [5, 0]\nshape.box = [1, 1]\n"
        case = "input = [{ t = 0, tap = 'fire' }, { t = 1, tap = 'fire' }]"
        run = nivvo.fire(made("on.anything.removes = true", bodies, case=case))
        self.assertEqual([row["ended_by"] for row in run.rows("projectiles")], ["contact", "life"])


class Totals(unittest.TestCase):
    def test_they_are_those_of_the_events(self):
        case = "input = [" + ", ".join(f"{{ t = {0.2 * k}, tap = 'fire' }}" for k in range(5)) + "]"
        run = nivvo.fire(made("on.targets.damage = 40", row_of_wisps(1), case=case))
        row = run.rows("totals")[0]
        self.assertEqual((row["shots"], row["projectiles"], row["hits"], row["kills"]), (5, 5, 3, 1))
        self.assertEqual((row["damage"], row["overkill"], row["accuracy"]), (100, 20, 0.6))

    def test_what_is_sent_counts_for_the_shot_it_came_of(self):
        answers = "when.age = { at = 0.1, sends.ability = 'fry' }"
        more = "[ability.fry]\nlaunch = { speed = 20, count = 3, fan = 2 }\nflight.gravity_share = 0\n"
        more += "on.targets.damage = 10"
        run = nivvo.fire(made(answers, row_of_wisps(1), more=more))
        row = run.rows("totals")[0]
        self.assertEqual((row["ability"], row["projectiles"], row["damage"]), ("rivet", 4, 30))
        # Asked of what was sent, of the shot that sent it, or of one of those: with what came of each.
        for of, hits in (("rivet", 3), ("rivet-1", 3), ("fry", 3), ("fry-1.2", 1), (None, 3)):
            self.assertEqual(nivvo.measure(run, "hits", of)[0], hits, of)
            self.assertEqual(nivvo.measure(run, "accuracy", of)[0], hits / (hits + (of not in ("fry", "fry-1.2"))), of)


class Told(unittest.TestCase):
    def test_what_makes_no_sense(self):
        for answer, says in (
            ("on.targets = { then = 'end', pierces = 2 }", "pierces is for"),
            ("on.targets = { then = 'pass', within = 20 }", "within is for"),
            ("on.targets = { then = 'lodge', otherwise = 'bounce' }", "needs restitution"),
            ("on.targets.blast = { radius = -1, damage = 3 }", "radius"),
            ("on.targets.blast = { radius = 1, damage = 3, falloff = 'linear', points = [[0, 1]] }", "not both"),
            ("on.targets.score = { streak_within = 2 }", "points or rings"),
            ("on.targets.score = { rings = [[2, 5], [1, 9]] }", "go up"),
            ("on.targets = { heals = 5, damage = 4 }", "not both"),
            ("on.gulls.then = 'pass'", "no group"),
            ("on.targets = { then = 'ignore', removes = true }", "nothing follows"),
        ):
            with self.assertRaises(DrillError, msg=answer) as caught:
                made(answer, row_of_wisps(1))
            self.assertIn(says, str(caught.exception), answer)
