"""Aims that find their own mark: which body, and that a led shot meets it, in every view and step."""

import typing
import unittest

import numpy as np

import nivvo

TEXT = """nivvo = 1
[world]
{world}
[tick]
{tick}
[shooter.keeper]
at = {at}
{shooter}
[ability.seeker]
launch.speed = 30
limits.life = 6
on.anything.then = "ignore"
on.targets.then = "end"
{ability}
{bodies}
[case.tap]
{case}
"""


def seeker(ability, bodies="", world="gravity = 0", tick="", at="[0, 0]", shooter="", case=None):
    case = case or TAP
    return nivvo.parse(
        TEXT.format(world=world, tick=tick, at=at, shooter=shooter, ability=ability, bodies=bodies, case=case)
    )


def target(name, at, *lines):
    return f"[target.{name}]\nat = {at}\n" + "\n".join(lines) + "\n"


FAR = target("far", [900, 900])
TAP = "input = [{ t = 0.5, tap = 'fire' }]"


class Nearest(unittest.TestCase):
    bodies = target("far_ahead", [10, 1]) + target("near_behind", [-4, 0]) + target("near_up", [1, 5])

    def aimed(self, *keys, bodies=None, **parts):
        made = seeker('aim.by = "nearest"\n' + "\n".join(keys), self.bodies if bodies is None else bodies, **parts)
        run = nivvo.fire(made)
        hits = [row["body"] for row in run.rows("contacts")]
        return hits[0] if hits else run.rows("events")[0]["detail"]

    def test_it_takes_the_nearest_by_distance_or_by_angle_within_cone_and_reach(self):
        self.assertEqual(self.aimed(), "near_behind")
        self.assertEqual(self.aimed('aim.nearest_by = "angle"'), "far_ahead")
        self.assertEqual(self.aimed("aim.cone = 180"), "near_up")
        self.assertEqual(self.aimed("aim.cone = 20"), "far_ahead")
        self.assertEqual(self.aimed("aim.cone = 170", "aim.within = 8"), "near_up")
        self.assertIn("nothing to aim at: fired along the facing", self.aimed("aim.within = 2"))
        self.assertEqual(self.aimed("aim.within = 2", 'aim.without_target = "refuse"'), "nothing to aim at")

    def test_what_an_obstacle_hides_is_passed_over_when_sight_is_asked_for(self):
        wall = "[obstacle.wall]\nshape.wall = [[-2, -3], [-2, 3]]\n"
        self.assertEqual(self.aimed(bodies=self.bodies + wall), "near_behind")
        self.assertEqual(self.aimed("aim.in_sight = true", bodies=self.bodies + wall), "near_up")

    def test_only_the_group_asked_for_and_never_what_is_out(self):
        bodies = target("a", [5, 0], 'group = "wisps"', "health = 1") + target("b", [9, 0], 'group = "wisps"')
        bodies += target("c", [0, 3])
        ability = 'aim.group = "wisps"\non.wisps.damage = 1'
        case = "input = [{ t = 0, tap = 'fire' }, { t = 1, tap = 'fire' }]"
        run = nivvo.fire(seeker(f'aim.by = "nearest"\n{ability}', bodies, case=case))
        ends = [row["body"] for row in run.rows("contacts") if row["group"] == "wisps"]
        self.assertEqual(ends, ["a", "b"])

    def test_it_aims_a_solved_arc_too(self):
        bodies = target("wisp", [14, 3])
        run = nivvo.fire(seeker('aim.by = "nearest"\nlaunch.arc = "high"', bodies, world=""))
        self.assertEqual(run.rows("contacts")[0]["body"], "wisp")
        self.assertGreater(run.rows("shots")[0]["elevation"], 60)


class Lead(unittest.TestCase):
    WORLDS: typing.ClassVar = {
        "side up": ("", "[0, 0]", [18, 6], [-4, 2]),
        "side down": ('y = "down"', "[0, 0]", [-18, -6], [4, 2]),
        "top": ('view = "top"', "[0, 0]", [12, 14], [5, -3]),
        "top with height": ('view = "top"\nheight = true', "[0, 0, 0]", [12, 14, 5], [5, -3, 0.5]),
        "space": ('view = "space"', "[0, 0, 0]", [12, 14, 5], [5, -3, 0.5]),
        "space -y": ('view = "space"\nup = "-y"', "[0, 0, 0]", [12, -6, 9], [3, -1, -4]),
    }

    def test_a_led_shot_meets_its_mark_in_every_view_and_step(self):
        ticks = ["", *(f'motion = "{step}"\nrate = 30' for step in ("semi-implicit", "explicit", "verlet"))]
        ticks.append('motion = "explicit"\nfirst_move = "next tick"')
        for name, (world, at, place, velocity) in self.WORLDS.items():
            for tick in ticks:
                with self.subTest(view=name, tick=tick):
                    bodies = target("wisp", place, f"move.velocity = {velocity}", "shape.ball = 0.5")
                    moving = f"move.velocity = {[0.5 * v for v in velocity]}"
                    ability = 'aim.by = "lead"\ninherit_velocity = 0.5'
                    run = nivvo.fire(seeker(ability, bodies, world, tick, at, moving))
                    shot = run.rows("shots")[0]
                    self.assertIn("meets wisp after", shot["note"])
                    path = run.flight(shot["shot"])
                    hit = run.rows("contacts")[0]
                    # It heads for the middle, so it touches the surface less than a radius from there.
                    v = path.at(hit["time"])[1] - np.array(run.scene.frame.lift(velocity))
                    n = np.array([hit[f"normal_{axis}"] for axis in "xyz"[: len(place)]])
                    aside = np.arccos(min(1.0, float(-run.scene.frame.lift(n) @ v / np.linalg.norm(v))))
                    self.assertLess(np.sin(aside) * 0.6, 0.02)

    def test_what_outruns_every_shot_is_told(self):
        bodies = target("wisp", [30, 0], "move.velocity = [60, 0]")
        for keys, what in (("", "fired"), ('aim.without_target = "refuse"', "refused")):
            event = nivvo.fire(seeker(f'aim.by = "lead"\n{keys}', bodies)).rows("events")[0]
            self.assertEqual(event["what"], what)
            self.assertIn("no shot of 30 m/s meets wisp", event["detail"])


class Stick(unittest.TestCase):
    def directions(self, keys, rows, tick="", **parts):
        made = seeker(f'aim.by = "stick"\n{keys}', FAR, tick=tick, case=f"input = [{rows}]", **parts)
        return [round(row["direction"], 9) for row in nivvo.fire(made).rows("shots")]

    def test_facing_before_any_input_and_the_last_direction_when_centred(self):
        rows = "{ t = 0, tap = 'fire' }, { t = 1, stick = [0, 1], tap = 'fire' }"
        rows += ", { t = 2, stick = [0, 0.1], tap = 'fire' }"
        self.assertEqual(self.directions("", rows), [0, 90, 90])
        self.assertEqual(self.directions("", rows, shooter='facing = "left"'), [180, 90, 90])

    def test_the_turn_is_the_same_at_every_tick_rate(self):
        rows = (
            "{ t = 0, stick = [1, 0] }, { t = 1, stick = [0, 1] }, { t = 1.5, tap = 'fire' }, { t = 3, tap = 'fire' }"
        )
        for rate in (30, 60, 144):
            for seen in ("exact", "at ticks"):
                found = self.directions("aim.turn_rate = 90", rows, f'rate = {rate}\ninput = "{seen}"')
                self.assertEqual(found, [45, 90], (rate, seen))
