"""What a case comes to at other tick rates, against what each rule gives by hand."""

import math
import unittest

import nivvo
from nivvo.play.questions.rating import RATES
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
        for seed in range(4):
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


if __name__ == "__main__":
    unittest.main()
