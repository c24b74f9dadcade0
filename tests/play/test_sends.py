"""What a contact sends: where, when, which way, whose, how often; against the closed form of each."""

import itertools
import os
import unittest
from unittest import mock

import numpy as np

import nivvo
from nivvo.core.tick import advance
from nivvo.play.questions.decided import defaults
from nivvo.show.log import told as log
from tests.deep import DEEP

TEXT = """nivvo = 1
{world}
[shooter.keeper]
at = {at}
facing = {facing}
[ability.pot]
launch.speed = 11
launch.elevation = 35
flight.gravity_share = {share}
shape.ball = 0.2
limits.life = 4
on.floor = {{ then = "{then}"{bounce}, sends = {{ ability = "spark"{along} }} }}
on.anything.then = "pass"
[ability.spark]
launch = {{ speed = 4{spread} }}
flight.gravity_share = 0
shape.ball = 0.05
limits.life = 1.5
on.anything.then = "{spark}"
[obstacle.deck]
shape.half_space = "up"
group = "floor"
{more}
[case.throw]
ability = "pot"
{case}
"""
SIDE = {"world": "", "at": "[0, 1]", "facing": '"right"'}
DOWN = {"world": 'world.y = "down"', "at": "[0, -1]", "facing": '"left"'}
SPACE = {"world": 'world.view = "space"', "at": "[0, 0, 1]", "facing": "40"}
PLAIN = {"share": 1, "then": "end", "bounce": "", "along": "", "spread": "", "spark": "end", "more": "", "case": ""}


def drill(view=SIDE, **keys):
    return nivvo.parse(TEXT.format(**{**PLAIN, **view, **keys}))


def refused_of(run):
    return [row["detail"] for row in run.rows("events") if row["what"] == "refused"]


def sent_of(run):
    return [row for row in run.rows("births") if row["parent"]]


class Sent(unittest.TestCase):
    def test_it_leaves_the_surface_at_the_contacts_time_along_what_was_written(self):
        for view in (SIDE, DOWN, SPACE):
            for along in ("normal", "reflected", "onward"):
                run = nivvo.fire(drill(view, along=f', along = "{along}"'))
                axes = "xyz"[: run.scene.frame.size]
                contact, birth = run.rows("contacts")[0], sent_of(run)[0]
                n = np.array([contact[f"normal_{axis}"] for axis in axes])
                point = np.array([contact[axis] for axis in axes])
                event = run.record.events[0]
                v = event["v"][: len(axes)]
                way = {"normal": n, "onward": v, "reflected": v - 2 * (v @ n) * n}[along]
                self.assertAlmostEqual(birth["time"], contact["time"], delta=3e-12)
                self.assertGreaterEqual(birth["time"], contact["time"] - 1e-15)
                np.testing.assert_allclose([birth[axis] for axis in axes], point + 0.05 * n, atol=1e-9)
                found = np.array([birth[f"v{axis}"] for axis in axes])
                np.testing.assert_allclose(found, 4.0 * way / np.linalg.norm(way), atol=1e-9)
                self.assertEqual((birth["parent"], birth["why"]), ("pot-1", "contact"))

    def test_several_are_as_far_apart_as_asked_wherever_the_scene_stands(self):
        # Of a surface that they leave, or go into, rounding alone says whether they touch it.
        rng = np.random.default_rng(5)
        for along in ("onward", "reflected", "normal"):
            for _ in range(25):
                off, slope = rng.uniform(-30, 30, 2).round(3), rng.uniform(-0.9, 0.9)
                run = nivvo.fire(nivvo.parse(
                    TEXT.format(**{**PLAIN, **SIDE, "at": (off + [0, 3]).tolist(), "spread": ", count = 2, fan = 30",
                                   "along": f', along = "{along}", gap = 0.3'})
                    .replace('half_space = "up"', f"half_space = [{slope}, 1]\nat = {off.tolist()}")))  # fmt: skip
                first, second = (np.array([row["x"], row["y"]]) for row in sent_of(run))
                self.assertAlmostEqual(float(np.linalg.norm(first - second)), 0.1 + 0.3, delta=1e-9)

    def test_its_cause_may_end_there_or_be_thrown_back_and_a_fan_is_a_fan(self):
        ended = nivvo.fire(drill())
        self.assertEqual([row["ended_by"] for row in ended.rows("projectiles")], ["contact", "life"])
        bounced = nivvo.fire(
            drill(then="bounce", bounce=", restitution = 0.5, bounces = 2", spread=", count = 3, fan = 40")
        )
        self.assertEqual(len(sent_of(bounced)), 9)
        turned = [np.degrees(np.arctan2(row["vy"], row["vx"])) for row in sent_of(bounced)[:3]]
        np.testing.assert_allclose(sorted(turned), [70, 90, 110], atol=1e-9)

    def test_what_does_not_move_sends_as_it_was_aimed_and_at_an_apex_level_or_up(self):
        views = (("", "direction = {}"), ("world.view = 'space'", "direction = 0, elevation = {}"))
        motions = ("exact", "explicit", "semi-implicit", "verlet")
        for (view, aim), motion, drag in itertools.product(views, motions, ("", "flight.drag.linear = 0.3\n")):
            for launch, angle, when, way in (
                ("speed = 17.3", 90, "apex", 90), ("speed = 17.3", 60, "apex", 0),
                ("speed = 0\nflight.gravity_share = 0", 35, "age.at = 0.4\nwhen.age", 35),
                ("speed = 14\non.anything = { then = 'lodge' }", 35, "age.at = 1\nwhen.age", 35),
            ):  # fmt: skip
                run = nivvo.fire(nivvo.parse(
                    f"nivvo = 1\n{view}\ntick.motion = '{motion}'\n[ability.mine]\nlaunch.{launch}\nlimits.life = 4\n"
                    f"{drag}aim = {{ by = 'fixed', {aim.format(angle)} }}\nwhen.{when}.sends.ability = 'spark'\n"
                    "[ability.spark]\nlaunch = { speed = 6, count = 3, fan = 60 }\nlimits.life = 0.1\n"
                    f"[obstacle.w]\nshape.ball = 0.5\nat = {[4, 0, 2.5] if view else [4, 2.5]}\n[case.c]"))  # fmt: skip
                up = run.scene.frame.up
                with self.subTest(view=view, motion=motion, drag=drag, when=when, angle=angle):
                    ways = [(row["v"], float(row["v"] @ up)) for row in run.record.births[1:4]]
                    np.testing.assert_allclose([np.sqrt(v @ v) for v, _ in ways], 6.0, rtol=1e-9)
                    # The middle one of the fan; in space the fan lies level about it.
                    self.assertAlmostEqual(ways[1][1], 6 * np.sin(np.radians(way)), delta=1e-6)
                    self.assertAlmostEqual(float(ways[0][0] @ ways[2][0]), 18.0, delta=1e-6)

    def test_what_it_does_in_the_instant_in_which_it_is_sent_is_told_after_what_sent_it(self):
        # All begin in the board and the panel; what is sent is of an ability whose name comes first.
        text = """nivvo = 1
            [ability.pot]
            launch.speed = 11
            flight.gravity_share = 0
            on.boards = { then = "end", blast = { radius = 2, damage = 3 }, sends.ability = "ash" }
            on.panels.then = "ignore"
            [ability.ash]
            launch = { speed = 4, count = 2, fan = 40 }
            on.panels.damage = 7
            on.shooters.then = "ignore"
            [target.board]
            at = [1, 0]
            shape.box = [1, 2]
            group = "boards"
            [target.panel]
            at = [1, 0]
            shape.box = [3, 1]
            group = "panels"
            health = 50
            [case.c]
            ability = "pot"
            """
        run = nivvo.fire(nivvo.parse(text))
        chain = [row for row in run.rows("effects") if row["effect"] == "damage" and row["body"] == "panel"]
        self.assertEqual([row["amount"] for row in chain], [3, 7, 7])
        self.assertEqual([row["before"] for row in chain], [50, 47, 40])
        self.assertEqual([row["projectile"] for row in chain], ["pot-1", "ash-1.1", "ash-1.2"])
        said = [row["projectile"] for row in run.rows("events") if row["what"] in ("ended", "sent")]
        self.assertEqual(said, ["pot-1", "ash-1", "ash-1.1", "ash-1.2"])

    def test_one_meets_another_body_in_the_tick_in_which_it_was_born(self):
        roof = '[obstacle.roof]\nat = [0, 1.6]\nshape.half_space = "down"\ngroup = "roofs"\n'
        run = nivvo.fire(drill(share=0, more=roof).with_settings(
            {"ability.pot.launch.elevation": -30.0, "tick.rate": 1.0, "ability.pot.launch.speed": 9.0}))  # fmt: skip
        birth, hit = sent_of(run)[0], run.rows("contacts")[1]
        self.assertEqual(
            (hit["projectile"], hit["body"], hit["tick"]), ("spark-1", "roof", run.rows("contacts")[0]["tick"])
        )
        self.assertAlmostEqual(hit["time"], birth["time"] + (1.6 - 0.05 - 0.05) / 4, delta=1e-9)


class Nearest(unittest.TestCase):
    """A spark that leaps from one to the next, against a list of places."""

    TEXT = """nivvo = 1
        {world}
        [ability.spark]
        flight.instant = true
        aim.by = "nearest"
        on.targets = {{ damage = 9, sends = {{ ability = "leap", along = "nearest", {more} }} }}
        [ability.leap]
        firing.button = "none"
        {leap}
        on.targets = {{ damage = 4, sends = {{ ability = "leap", along = "nearest", generations = 16, {more} }} }}
        {bodies}
        [case.c]
        ability = "spark"
        lasts = 20
        """

    def chain(self, world, places, within, once, leap="flight.instant = true"):
        bodies = "".join(f"[target.w{k:02}]\nat = {p.tolist()}\nshape.ball = 0.3\n" for k, p in enumerate(places))
        more = f"within = {within}, each_once = {str(once).lower()}"
        run = nivvo.fire(nivvo.parse(self.TEXT.format(world=world, bodies=bodies, more=more, leap=leap)))
        return run, [int(row["body"][1:]) for row in run.rows("contacts")]

    def test_from_each_to_the_nearest_that_is_left_in_every_view(self):
        rng, longest = np.random.default_rng(3), 0
        for world, size in (("", 2), ('world.y = "down"', 2), ('world.view = "top"', 2), ('world.view = "space"', 3)):
            for once in (True, False):
                places = rng.uniform(-12, 12, (9, size)) + 9 * np.eye(size)[0]
                _, found = self.chain(world, places, 11.0, once, "launch.speed = 400\nflight.gravity_share = 0")
                left = set(range(9))
                for k, here in enumerate(found):
                    left = left - {here} if once else set(range(9)) - {here}
                    far, goal = min(
                        ((np.linalg.norm(places[one] - places[here]), one) for one in left), default=(99, -1)
                    )
                    if k + 1 == len(found):
                        self.assertTrue(far > 10.7 or k == 16, (found, far))
                        break
                    # Who stands in the way is touched first, and is where it leaps on from.
                    way, off = places[goal] - places[here], places[found[k + 1]] - places[here]
                    beside = np.linalg.norm(off - way * (off @ way) / (way @ way))
                    self.assertTrue(far < 11.3 and (found[k + 1] == goal or (off @ way > 0 and beside < 0.45)), found)
                longest = max(longest, len(found))
        self.assertGreater(longest, 7)

    def test_where_nobody_is_left_nothing_is_sent_and_that_is_told(self):
        places = np.array([[5.0, 0.0], [9.0, 0.5], [20.0, 0.0]])
        run, found = self.chain("", places, 6, True)
        self.assertEqual(found, [0, 1])
        self.assertEqual(refused_of(run), ["nobody is near enough to be sent to"])

    def test_what_goes_with_it_is_checked(self):
        for more, says in (
            ('along = "normal", within = 3', 'within is for along = "nearest"'),
            ('along = "nearest", group = "gulls"', "gulls"),
        ):
            with self.assertRaises(nivvo.DrillError) as caught:
                drill(along=f", {more}")
            self.assertIn(says, str(caught.exception))


class Bounded(unittest.TestCase):
    def test_what_only_contacts_send_is_in_nobodys_hand_unless_it_says_so(self):
        bare = TEXT.format(**{**PLAIN, **SIDE}).replace('ability = "pot"\n', "")
        self.assertEqual({row["ability"] for row in nivvo.fire(nivvo.parse(bare)).rows("shots")}, {"pot"})
        fired = bare.replace("[ability.spark]\n", "[ability.spark]\nfiring.cooldown = 1\n")
        self.assertEqual({row["ability"] for row in nivvo.fire(nivvo.parse(fired)).rows("shots")}, {"pot", "spark"})
        alone = bare.replace('ability = "spark"', 'ability = "pot"')
        self.assertEqual({row["ability"] for row in nivvo.fire(nivvo.parse(alone)).rows("shots")}, {"pot", "spark"})

    def test_what_sends_itself_comes_to_an_end_that_is_told(self):
        roof = '[obstacle.roof]\nat = [0, 1.5]\nshape.half_space = "down"\ngroup = "floor"\n'
        text = TEXT.format(**{**PLAIN, **SIDE, "more": roof, "share": 0}).replace(
            'on.anything.then = "end"',
            'on.floor = { then = "end", sends = { ability = "spark", generations = 16 } }',
        )
        run = nivvo.fire(nivvo.parse(text).with_settings({"ability.pot.launch.elevation": -40.0}))
        births = sent_of(run)
        self.assertEqual(len(births), 16)
        # Each is the child of the one before.
        self.assertEqual([row["parent"] for row in births], ["pot-1", *(f"spark-{k}" for k in range(1, 16))])
        self.assertEqual(refused_of(run), ["more than 16 generations"])

    def test_that_what_was_sent_splits_no_more_by_default_is_told_where_writing_it_makes_a_difference(self):
        told, key = 0, "ability.leap.on.targets.sends.generations"
        for places in ([5], [5, 9], [5, 9, 13], [5, 30]):
            bodies = "".join(f"[target.w{x}]\nat = [{x}, 0]\nshape.ball = 0.3\n" for x in places)
            for own in ("leap", "spark"):
                text = Nearest.TEXT.format(world="", leap="flight.instant = true", bodies=bodies, more="within = 6")
                text = text.replace('"leap", along = "nearest", generations = 16,', f'"{own}", along = "nearest",')
                bare, more = nivvo.parse(text), nivvo.parse(text).with_settings({key: 2})
                run, other = nivvo.fire(bare), nivvo.fire(more)
                self.assertFalse([line for line in log(run) if "m/s" in line])
                decided = key in dict(defaults(bare, run))
                told += decided
                # A spark is sent on by default, as what comes of another.
                tried = [len(sent_of(one)) + len(refused_of(one)) for one in (run, other)]
                self.assertEqual(decided, own == "leap" and tried[0] < tried[1])
                self.assertNotIn(key, dict(defaults(more, other)))
        self.assertEqual(told, 2)

    def test_only_so_many_in_the_air_holds_for_them_too(self):
        made = drill(then="bounce", bounce=", restitution = 0.8").with_settings({"ability.spark.limits.in_the_air": 1})
        run = nivvo.fire(made)
        births, refused = sent_of(run), [row for row in run.rows("events") if row["what"] == "refused"]
        self.assertGreater(len(births), 1)
        self.assertIn("only 1 may be in the air", refused[0]["detail"])

    def test_one_without_a_speed_of_its_own_is_refused_and_names_are_checked(self):
        text = TEXT.format(**{**PLAIN, **SIDE}).replace(
            "launch = { speed = 4 }", 'aim.by = "cursor"\nlaunch = { arc = "by apex", apex = 3 }'
        )
        text = text.replace("flight.gravity_share = 0\nshape.ball = 0.05", "shape.ball = 0.05")
        run = nivvo.fire(nivvo.parse(text))
        self.assertIn("no speed of its own", refused_of(run)[0])
        for old, new, words in (
            ('ability = "spark"', 'ability = "sparks"', "did you mean spark"),
            ('ability = "spark"', 'along = "onward"', "sends.ability: is missing"),
            ('"end", sends', '"ignore", sends', "nothing follows"),
        ):
            with self.assertRaisesRegex(nivvo.DrillError, words):
                nivvo.parse(TEXT.format(**{**PLAIN, **SIDE}).replace(old, new))


def wild(rng):
    """A drill in which much happens: throws that are passed, ended, bounced, and send; bodies that turn, die, hurt."""
    motion, contacts = rng.choice(["exact", "exact", "verlet"]), rng.choice(["swept", "swept", "at ticks"])
    text = f'nivvo = 1\ntick = {{ motion = "{motion}", contacts = "{contacts}", rate = {rng.choice([20, 60, 144])} }}\n'
    text += "[shooter.keeper]\nat = [0, 3]\n" + ("health = 30\n" if rng.uniform() < 0.5 else "")
    then = rng.choice(["bounce", "end", "pass"])
    more = f", restitution = {rng.uniform(0, 1):.2f}, friction = {rng.uniform(0, 0.5):.2f}" if then == "bounce" else ""
    text += '[ability.pot]\nfiring = { kind = "auto", rate = 5 }\nlimits.life = 2\nhits_owner = "never"\n'
    text += f"launch.speed = {rng.uniform(4, 20):.2f}\nlaunch.elevation = {rng.uniform(-40, 70):.1f}\n"
    text += "flight.drag.square = 0.02\n" if rng.uniform() < 0.3 else ""
    along = rng.choice(["normal", "reflected", "onward"])
    text += (
        f'on.anything = {{ then = "{then}"{more}, damage = 1, sends = {{ ability = "spark", along = "{along}" }} }}\n'
    )
    text += "[ability.spark]\nlaunch = { speed = 6, count = 2, fan = 50 }\nlimits.life = 0.8\n"
    text += 'on.anything = { then = "bounce", restitution = 0.7 }\n[obstacle.floor]\nshape.half_space = "up"\n'
    for k in range(int(rng.integers(2, 8))):
        (x, y), size = rng.uniform((2, 0), (15, 8)), rng.uniform(0.5, 1.6, 2)
        ball = f"shape.ball = {size[0]:.2f}"
        box = f"shape.box = [{size[0]:.2f}, {size[1]:.2f}]\nshape.turned = {rng.uniform(0, 90):.1f}"
        text += f"[target.w{k}]\nat = [{x:.2f}, {y:.2f}]\nhealth = {rng.integers(1, 6)}\n{rng.choice([ball, box])}\n"
        if rng.uniform() < 0.5:
            way = f"through = [[{x + 3:.2f}, {y + 1:.2f}]], speed = {rng.uniform(0.5, 6):.2f}"
            text += f'move = {{ {way}, at_end = "back" }}\n'
    return text + '[case.c]\nability = "pot"\ninput = [{ t = 0.01, hold = "fire", held = 0.7 }]\n'


class Wild(unittest.TestCase):
    def test_it_is_the_same_plain_compiled_with_nobody_asleep_and_tick_by_tick(self):
        rng = np.random.default_rng(2)
        for _ in range(40 if DEEP else 5):
            text, digests = wild(rng), set()
            for compiled, sleep in (("never", "auto"), ("always", "never")):
                advance.forget()
                with mock.patch.dict(os.environ, NIVVO_COMPILE=compiled, NIVVO_SLEEP=sleep):
                    run = nivvo.fire(nivvo.parse(text))
                    digests.add(run.digest)
            advance.forget()
            self.assertEqual(len(digests), 1, text)
            live, told = nivvo.Live(nivvo.parse(text), compiled=False), []
            live.press("fire", at=0.01)
            live.release("fire", at=0.71)
            while live.time < 8.0:
                told += [(e.time, e.what, live.name_of(e.id), e.name) for e in live.step() if e.what in FLOWN]
            rows = [row for row in run.rows("events") if row["what"] in FLOWN]
            self.assertEqual(
                sorted(told), sorted((r["time"], r["what"], r["projectile"], r["body"]) for r in rows), text
            )


FLOWN = ("contact", "overlap", "bounced", "damage", "out", "ended", "slipped through")

if __name__ == "__main__":
    unittest.main()
