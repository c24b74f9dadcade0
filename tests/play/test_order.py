"""What happens first happens first, however long the ticks: deaths, damage and counts before later acts."""

import itertools
import unittest

import numpy as np

import nivvo

DUEL = """nivvo = 1
[world]
gravity = 0
[tick]
rate = {rate}
[shooter.a]
at = [0, 0]
health = {health}
shape.ball = 0.5
[shooter.b]
at = [{far}, 0]
facing = "left"
health = {health}
shape.ball = 0.5
[ability.rivet]
launch.speed = {speed}
shape.ball = 0.05
hits_owner = "never"
limits.life = 3
on.shooters.damage = 10
{more}
[case.c]
input = [{rows}]
lasts = 3
"""


def duel(rate, rows, far=2.0, speed=60, health=10, more=""):
    text = DUEL.format(rate=rate, rows=", ".join(rows), far=far, speed=speed, health=health, more=more)
    return nivvo.fire(nivvo.parse(text))


class Order(unittest.TestCase):
    def test_who_is_out_within_a_tick_fires_no_more_in_it(self):
        rows = ['{ t = 0, tap = "fire", shooter = "a" }', '{ t = 0.08, tap = "fire", shooter = "b" }']
        for rate in (10, 60, 1000):
            run = duel(rate, rows)
            self.assertEqual([row["shooter"] for row in run.rows("shots")], ["a"], rate)
            self.assertLess(next(row["time"] for row in run.rows("events") if row["what"] == "out"), 0.03)

    def test_duels_come_out_alike_at_every_tick_rate(self):
        rng = np.random.default_rng(9)
        decided = 0
        for _ in range(25):
            times = sorted(round(float(t), 4) for t in rng.uniform(0, 1.0, 8))
            rows = [f'{{ t = {t}, tap = "fire", shooter = "{rng.choice(["a", "b"])}" }}' for t in times]
            far, speed = float(rng.uniform(2, 9)), float(rng.uniform(8, 60))
            seen = set()
            for rate in (5, 10, 60, 960):
                run = duel(rate, rows, far, speed, health=20)
                out = [(row["body"], round(row["time"], 9)) for row in run.rows("events") if row["what"] == "out"]
                shots = tuple((row["shooter"], row["time"]) for row in run.rows("shots"))
                seen.add((tuple(out), shots))
                decided += bool(out)
            self.assertEqual(len(seen), 1, (rows, far, speed, seen))
        self.assertGreater(decided, 20)

    def test_damage_breaks_a_charge_off_when_it_is_dealt(self):
        more = 'firing = { kind = "charge", full_after = 0.5, cancelled_by_damage = true }'
        rows = [
            '{ t = 0, hold = "fire", held = 0.02, shooter = "a" }',
            '{ t = 0.01, hold = "fire", held = 0.4, shooter = "b" }',
        ]
        times = set()
        for rate in (7, 10, 60, 480):
            run = duel(rate, rows, health=100, more=more)
            broken = [row for row in run.rows("states") if row["why"] == "cancelled by damage"]
            self.assertEqual([row["shooter"] for row in broken], ["b"], rate)
            times.add(round(broken[0]["time"], 9))
            self.assertEqual([row["shooter"] for row in run.rows("shots")], ["a"], rate)
            self.assertAlmostEqual(broken[0]["time"], run.rows("contacts")[0]["time"], delta=1e-9)
        self.assertEqual(len(times), 1)

    def test_what_has_touched_is_in_the_air_no_more(self):
        rows = ['{ t = 0, tap = "fire", shooter = "a" }', '{ t = 0.08, tap = "fire", shooter = "a" }',
                '{ t = 0.081, tap = "fire", shooter = "a" }']  # fmt: skip
        for rate, full in itertools.product((5, 10, 60, 1000), ("refuse", "end oldest")):
            more = f'limits.in_the_air = 1\nlimits.when_full = "{full}"'
            run = duel(rate, rows, health=1000, more=more)
            self.assertEqual(len(run.fired), 2 if full == "refuse" else 3, (rate, full))
            whys = [row["reason"] for row in run.rows("projectiles")]
            self.assertEqual(whys[0], "touched b", (rate, full))

    def test_a_further_press_ends_what_flies_where_it_is_and_not_what_has_touched(self):
        again = '[ability.flare]\nfiring.button = "flare"\nlaunch.speed = 20\nshooter = "a"\nlimits.life = 3\n'
        again += 'hits_owner = "never"\nwhen.again.then = "end"\n'
        for rate in (5, 10, 60, 1000):
            rows = [f'{{ t = {t}, tap = "flare", shooter = "a" }}' for t in (0, 0.05, 0.06, 0.19)]
            text = DUEL.format(rate=rate, rows=", ".join(rows), far=3.0, speed=9, health=1000, more="") + again
            run = nivvo.fire(nivvo.parse(text))
            flown = [(row["reason"], round(row["ended"], 9)) for row in run.rows("projectiles")]
            self.assertEqual(flown[0], ("its button was pressed again", 0.05), rate)
            self.assertEqual(flown[1][0], "touched b", rate)
            self.assertEqual(len(flown), 3, rate)
