"""What a case comes to at other tick rates, against what each rule gives by hand."""

import math
import random
import unittest

import nivvo
from nivvo.core.numbers.clock import to_seconds
from nivvo.play.questions.rating import RATES
from tests.deep import DEEP
from tests.play.test_anything import Drawn

LOB = """nivvo = 1
{world}
[shooter.keeper]
muzzle.hand.forward = 0.6
[ability.lob]
launch = {{ speed = 12, elevation = 40 }}
limits.life = 9
{ability}
[obstacle.quay]
at = [0, -3]
shape.half_space = "up"
[case.tap]
input = [{{ t = {t}, tap = "fire" }}]
"""


def made(world="", ability="", t=0.1):
    return nivvo.parse(LOB.format(world=world, ability=ability, t=t))


class Same(unittest.TestCase):
    def test_in_exact_step_nothing_differs(self):
        for ability in ("", "flight.drag.square = 0.05", "flight.sway = { across = 1, period = 0.4 }",
                        "on.obstacles = { then = 'bounce', restitution = 0.6, bounces = 3 }"):  # fmt: skip
            found = nivvo.rate_table(made(ability=ability))
            self.assertEqual((found.differs, found.hangs_on), ([], []), ability)
            self.assertEqual([row["rate"] for row in found.rows], [*RATES])
            self.assertAlmostEqual(found.rows[0]["range"], found.rows[-1]["range"], delta=1e-6)

    def test_a_row_is_what_the_drill_fired_at_that_rate_comes_to(self):
        for seed in range(2):
            drill = nivvo.parse(Drawn(seed).drill())
            found = nivvo.rate_table(drill, rates=(10, 45.0))
            for row in found.rows:
                run = nivvo.fire(drill.with_settings({"tick.rate": row["rate"]}))
                totals = [one for one in run.rows("totals") if one["ability"] == row["ability"]]
                flown = [one for one in run.rows("projectiles") if one["ability"] == row["ability"]]
                for column in ("shots", "hits", "damage", "kills"):
                    self.assertEqual(row[column], totals[0][column] if totals else 0, (seed, row))
                self.assertEqual(row["range"], flown[0]["range"] if flown else None, (seed, row))


class Differs(unittest.TestCase):
    def test_a_games_own_step_falls_by_half_a_tick_more_or_less(self):
        # After n ticks v is the same and y off by g t dt / 2: so it lands as if thrown with g dt / 2 less, or more.
        for motion, sign in (("semi-implicit", -1.0), ("explicit", 1.0)):
            found = nivvo.rate_table(made(f"tick.motion = '{motion}'", t=0), rates=(20, 4000))
            self.assertEqual(found.hangs_on, ["tick.motion"])
            self.assertIn("range", [column for _, column, _ in found.differs])
            for row in found.rows:
                # Its muzzle is 0.6 m from its shooter's middle along the way up, and it lands with its surface, 0.1 m.
                up = 12 * math.sin(math.radians(40)) + sign * 9.81 / (2 * row["rate"])
                high = 3 + 0.6 * math.sin(math.radians(40)) - 0.1
                flown = (up + math.sqrt(up * up + 2 * 9.81 * high)) / 9.81
                # Between ticks it goes straight, at most by a sagitta below the parabola, with some 8 m/s downward.
                sagitta = 9.81 / (8 * row["rate"] ** 2) / 8.0
                self.assertAlmostEqual(row["flight_time"], flown, delta=sagitta + 1e-9)

    def test_what_counts_by_the_tick_is_named_and_comes_out_as_it_must(self):
        text = LOB.format(world="", ability="flight = { gravity_share = 0, drag.per_tick = 0.9 }", t=0)
        found = nivvo.rate_table(nivvo.parse(text.replace("life = 9", "life = 1.5")), rates=(20, 50))
        self.assertEqual(found.hangs_on, ["ability.lob.flight.drag.per_tick"])
        self.assertEqual(nivvo.rate_table(made(ability="flight.drag.per_tick = 1"), rates=[60]).hangs_on, [])
        for row in found.rows:
            k = -math.log(0.9) * row["rate"]
            flown = 12 / k * (1 - math.exp(-1.5 * k)) * math.cos(math.radians(40))
            self.assertAlmostEqual(row["range"], flown, delta=1e-6)
        text = LOB.format(world="tick.contacts = 'at ticks'", ability="", t="'6 ticks'")
        text += "set = { 'ability.lob.limits.life' = '20 ticks' }\n"
        found = nivvo.rate_table(nivvo.parse(text), rates=(20, 50))
        self.assertEqual(found.hangs_on, ["tick.contacts", "ability.lob.limits.life", "case.tap.input[0].t"])
        self.assertEqual([row["flight_time"] for row in found.rows], [1.0, 0.4])

    def test_a_thin_wall_is_met_at_some_rates_only(self):
        text = (
            "nivvo = 1\ntick.contacts = 'at ticks'\n[ability.bolt]\nlaunch.speed = 30\nlimits.life = 1\n"
            "flight.gravity_share = 0\nshape.ball = 0.05\n[obstacle.pane]\nat = [4, 0]\nshape.box = [0.02, 2]\n"
        )
        found = nivvo.rate_table(nivvo.parse(text), rates=range(10, 100, 7))
        for row in found.rows:
            # It leaves 0.55 m from the middle.
            meets = any(abs(0.55 + 30 * k / row["rate"] - 4) <= 0.06 + 1e-12 for k in range(100))
            self.assertEqual(row["ends"] == "touched pane", meets, row)
        self.assertEqual(len({row["ends"] for row in found.rows}), 2)
        self.assertIn("ends", [column for _, column, _ in found.differs])

    def test_wrong_calls_are_told(self):
        for rates, words in (((), "from 1 to 100"), ("60", "finite numbers, as"), ([True], "each of rates"),
                             (range(1, 200), "from 1 to 100")):  # fmt: skip
            with self.assertRaisesRegex(nivvo.CallError, words):
                nivvo.rate_table(made(), rates=rates)
        with self.assertRaisesRegex(nivvo.DrillError, "tick.rate"):
            nivvo.rate_table(made(), rates=[0])
        with self.assertRaisesRegex(nivvo.CallError, "tick.frames"):
            nivvo.rate_table(made("tick.frames = [0.01, 0.02]"))


def ends(seed, rate, tick=""):
    """Pairs of rivets at a wall and a gull that both may move and turn, until a time or a goal between ticks."""
    rng = random.Random(seed)
    forces = ("", "drag = { linear = 0.3, square = 0.05 }", "drag.linear = 8", "thrust = { acceleration = 12 }")
    walls = ("'bounce', restitution = 0.6", "'pass'", "'end'", "'lodge'")
    goal = rng.choice(("won.out = 'gulls'", "won.score = 15", "", f"lost.time = {rng.uniform(0.6, 2.5)}"))
    force = rng.choice(forces)
    meets = rng.choice(("", "on.rivet.then = 'end'"))
    return nivvo.parse(f"""nivvo = 1
[tick]
rate = {rate}
{tick}
[shooter.keeper]
shape.ball = 0.3
muzzle.hand.forward = 0.8
[ability.rivet]
muzzle = "hand"
firing = {{ kind = "auto", interval = {rng.uniform(0.03, 0.2)} }}
launch = {{ count = 2, fan = 5, speed = {rng.uniform(5, 30)}, elevation = {rng.uniform(0, 40)} }}
{force and f"flight.{force}"}
limits.life = {rng.uniform(0.5, 3)}
on.gulls = {{ damage = 5, score.points = 5 }}
on.walls = {{ then = {rng.choice(walls)} }}
{meets}
[obstacle.wall]
at = [{rng.uniform(4, 9)}, 2]
shape.box = [0.5, 30]
group = "walls"
{rng.choice(("", "turns = 40", "turns = -90", "move.velocity = [0.4, 0.3]"))}
[target.gull]
at = [{rng.uniform(3, 8)}, {rng.uniform(-1, 2)}]
shape.ball = {rng.uniform(0.4, 1.5)}
group = "gulls"
health = {rng.choice((10, 20, 35))}
move.velocity = [{rng.uniform(-1, 1)}, {rng.uniform(-1, 1)}]
[case.tap]
input = [{{ t = {rng.uniform(0, 0.5)}, press = "fire" }}]
lasts = {rng.uniform(0.6, 3)}
{goal}
""")


class Over(unittest.TestCase):
    """A case is over when it is, not at the start of the tick in which it is."""

    def told(self, drill):
        run = nivvo.fire(drill)
        over = to_seconds(run.decided.time if run.decided else run.until)
        self.assertLessEqual(max((row["time"] for row in run.rows("events")), default=0.0), over + 1e-9)
        for row in run.rows("projectiles"):
            if row["ended_by"] == "flying":
                self.assertAlmostEqual(row["launched"] + row["flight_time"], over, places=9)
        kept = nivvo.fire(drill, keep="contacts")
        for row, other in zip(run.rows("projectiles"), kept.rows("projectiles"), strict=True):
            for name in ("range", "flight_time"):
                self.assertAlmostEqual(row[name], other[name], places=9)
        return over, run

    def test_at_every_rate(self):
        for seed in range(200) if DEEP else range(7):
            over, run = self.told(ends(seed, 50))
            for rate in (7, 17):
                also, other = self.told(ends(seed, rate))
                self.assertAlmostEqual(also, over, places=7)
                if any("too many" in row["reason"] for row in other.rows("projectiles")):
                    continue
                for row, one in zip(run.rows("projectiles"), other.rows("projectiles"), strict=True):
                    self.assertEqual((row["projectile"], row["reason"]), (one["projectile"], one["reason"]), seed)
                    for name in ("range", "flight_time"):
                        self.assertAlmostEqual(row[name], one[name], delta=1e-4, msg=(seed, rate, row["projectile"]))

    def test_in_a_games_own_step(self):
        for seed in range(200) if DEEP else range(3):
            for step in ("semi-implicit", "explicit", "verlet"):
                for contacts in ("swept", "at ticks"):
                    self.told(ends(seed, 13, f"motion = '{step}'\ncontacts = '{contacts}'"))

    def test_what_is_not_to_move_before_the_next_tick_is_where_it_was_launched(self):
        for step in ("exact", "semi-implicit", "explicit", "verlet"):
            for force in ("", "drag.linear = 0.5", "drag.linear = 30", "sway = { across = 0.5, period = 0.7 }"):
                tick = f"tick = {{ rate = 10, motion = '{step}', first_move = 'next tick' }}"
                text = LOB.format(world=tick, ability=force and f"flight.{force}", t=0.533) + "lasts = 0.56"
                row = nivvo.fire(nivvo.parse(text)).rows("projectiles")[0]
                self.assertEqual(row["range"], 0.0, (step, force))
                self.assertAlmostEqual(row["end_speed"], 12.0, places=9)
                self.assertAlmostEqual(row["flight_time"], 0.027, places=9)


if __name__ == "__main__":
    unittest.main()
