"""Projectiles that meet in the air: exact times by hand, momentum and energy, whose meet whose, at any speed."""

import itertools
import math
import tomllib
import unittest

import numpy as np

import nivvo
from nivvo.errors import DrillError
from tests.deep import DEEP

TEXT = """nivvo = 1
{view}
[tick]
{tick}
[shooter.keeper]
at = {left}
facing = {turn}
[shooter.rival]
at = {right}
facing = {back}
[ability.flare]
shooter = "keeper"
firing.button = "flare"
launch.speed = {speed}
flight.gravity_share = {share}
shape.ball = 0.2
mass = {mass}
limits.life = 3
{flare}
[ability.rivet]
shooter = "rival"
firing.button = "rivet"
launch.speed = {fast}
flight.gravity_share = {share}
shape.ball = 0.1
mass = {other}
limits.life = 3
{rivet}
{more}
[case.both]
input = [{{ t = 0, tap = "flare" }}, {{ t = {late}, tap = "rivet" }}]
"""


def made(
    flare="", rivet="", *, turn=0.0, speed=20, fast=60, mass=1, other=1, late=0, share=0, tick="", more="", far=40
):
    s, c = math.sin(math.radians(turn)), math.cos(math.radians(turn))
    keys = {"turn": turn, "back": turn + 180, "left": [0, 0], "right": [far * c, far * s], "view": "world.view = 'top'"}
    if share:
        keys |= {"view": "", "turn": '"right"', "back": '"left"'}
    keys |= {"flare": flare, "rivet": rivet, "speed": speed, "fast": fast, "mass": mass, "other": other}
    keys |= {"late": late, "share": share, "tick": tick, "more": more}
    text = TEXT.format(**keys)
    return nivvo.parse(text if share else text.replace("flight.gravity_share = 0\n", ""))


class Meet(unittest.TestCase):
    def test_they_do_not_unless_it_is_written(self):
        run = nivvo.fire(made())
        self.assertEqual(run.rows("meetings"), [])
        self.assertTrue(all(row["ended_by"] == "contact" for row in run.rows("projectiles")))

    def test_when_and_where_at_every_heading_speed_and_rate(self):
        for turn, fast, rate in itertools.product((0, 33, 118, 250), (3, 60, 5000, 90_000), (30, 144)):
            run = nivvo.fire(made("on.rivet.then = 'end'", turn=turn, fast=fast, late=0.1, tick=f"rate = {rate}"))
            row = run.rows("meetings")[0]
            # Each starts just clear of its shooter; they close at the sum of their speeds.
            starts = [np.array([one["x"], one["y"]]) for one in run.rows("shots")]
            gap = np.linalg.norm(starts[1] - starts[0]) - 0.3 - 20 * 0.1
            self.assertAlmostEqual(row["time"], 0.1 + gap / (20 + fast), delta=2e-9)
            way = (starts[1] - starts[0]) / np.linalg.norm(starts[1] - starts[0])
            np.testing.assert_allclose([row["x"], row["y"]], starts[0] + 20 * row["time"] * way, atol=1e-6)
            ends = {one["ability"]: one["ended_by"] for one in run.rows("projectiles")}
            self.assertEqual(ends, {"flare": "meeting", "rivet": "contact" if fast > 3 else "life"})

    def test_under_gravity_they_meet_as_if_there_were_none_in_every_step(self):
        for motion in ("exact", "semi-implicit", "explicit", "verlet"):
            run = nivvo.fire(
                made("on.rivet.then = 'end'\non.rivet.removes = true", share=1, tick=f"motion = '{motion}'")
            )
            row = run.rows("meetings")[0]
            gap = 40 - 2 * 0.5 - 0.2 - 0.1 - 0.3 - 2 * 0.01
            self.assertAlmostEqual(row["time"], gap / 80, delta=1e-9)
            self.assertEqual([one["ended_by"] for one in run.rows("projectiles")], ["meeting", "meeting"])

    def test_they_bounce_with_momentum_and_the_energy_of_their_restitution(self):
        for mass, other, keeps in ((1, 1, 1.0), (3, 1, 1.0), (1, 5, 0.4), (2, 2, 0.0)):
            rule = f"on.{{}} = {{{{ then = 'bounce', restitution = {keeps} }}}}"
            drill = made(rule.format("rivet"), rule.format("flare"), mass=mass, other=other)
            run = nivvo.fire(drill)
            time = run.rows("meetings")[0]["time"]
            before, after = (
                [run.flight(name).at(time + off)[1][0] for name in run.ids.values()] for off in (-1e-3, 1e-3)
            )
            masses = [mass, other]
            self.assertAlmostEqual(np.dot(masses, before), np.dot(masses, after), places=9)
            self.assertAlmostEqual(after[1] - after[0], keeps * (before[0] - before[1]), places=9)

    def test_one_may_be_thrown_back_and_the_other_fly_on(self):
        run = nivvo.fire(made("on.rivet = { then = 'bounce', restitution = 0.5 }", "on.flare.then = 'pass'"))
        time = run.rows("meetings")[0]["time"]
        after = [run.flight(name).at(time + 0.01)[1][0] for name in run.ids.values()]
        np.testing.assert_allclose(after, [20 - 1.5 * 80, -60], atol=1e-9)

    def test_whose_are_met(self):
        def ends(whose):
            rule = f"launch.count = 2\nlaunch.fan = 0.0001\non.flare = {{ then = 'end', whose = '{whose}' }}"
            rule += f"\non.rivet = {{ then = 'end', whose = '{whose}' }}"
            return {row["ended_by"] for row in nivvo.fire(made(rule)).rows("projectiles") if row["ability"] == "flare"}

        self.assertEqual(ends("others"), {"meeting"})
        self.assertNotIn("meeting", ends("own"))

    def test_a_body_that_is_met_before_comes_first(self):
        wall = "[obstacle.post]\nat = [10, 0]\nshape.ball = 0.5\n"
        run = nivvo.fire(made("on.rivet.then = 'end'", more=wall))
        self.assertEqual(run.rows("meetings"), [])
        self.assertEqual(run.rows("contacts")[0]["body"], "post")

    def test_many_as_a_slow_search_finds_them(self):
        rng = np.random.default_rng(4)
        for seed in range(20 if DEEP else 4):
            count = 12
            taps = ", ".join(
                f"{{ t = {rng.uniform(0, 0.3):.4f}, tap = '{('flare', 'rivet')[k % 2]}' }}" for k in range(count)
            )
            run = nivvo.fire(_with_taps(seed, taps))
            found = {(row["projectile"], row["other"]): row["time"] for row in run.rows("meetings")}
            paths = {name: run.flight(name) for name in run.ids.values()}
            for a, b in itertools.product([n for n in paths if "flare" in n], [n for n in paths if "rivet" in n]):
                start = max(paths[a].t[0], paths[b].t[0])
                stop = min(paths[a].t[-1], paths[b].t[-1])
                t = np.linspace(start, stop, 40_001)
                gap = np.linalg.norm(paths[a].at(t)[0] - paths[b].at(t)[0], axis=1) - 0.3
                if gap[0] > 0 and gap.min() < -1e-3:
                    self.assertIn((a, b), found)
                    self.assertAlmostEqual(found[a, b], t[np.argmax(gap <= 0)], delta=2 * (t[1] - t[0]))
                elif gap.min() > 1e-3:
                    self.assertNotIn((a, b), found)

    def test_what_is_sent_has_the_damage_of_what_met_not_of_another_in_the_air(self):
        more = """
        [ability.decoy]
        shooter = "keeper"
        firing.button = "decoy"
        launch.speed = 1
        on.gulls.damage = 100
        [ability.chip]
        launch.speed = 10
        [target.gull]
        at = [25, 0]
        group = "gulls"
        [case.late]
        input = [{ t = 0, tap = "decoy" }, { t = 0.1, tap = "flare" }, { t = 0.1, tap = "rivet", shooter = "rival" }]
        """
        sends = "on.rivet = { then = 'end', sends = { ability = 'chip', damage = 'kept', along = 'onward' } }"
        drill = made(f"{sends}\non.gulls.damage = 7", f"on.gulls.then = 'ignore'\n{more}", speed=20, fast=20)
        self.assertEqual(nivvo.measure(nivvo.fire(drill, "late"), "damage", "gull")[0], 7.0)

    def test_a_case_may_be_won_by_it_and_is_over_then(self):
        for rate in (7, 60, 400):
            drill = made("on.rivet = { then = 'end', score.points = 5 }", tick=f"rate = {rate}")
            run = nivvo.fire(drill.with_settings({"case.both.won": {"score": 5}}))
            gap = 40 - 2 * 0.5 - 0.2 - 0.1 - 0.3 - 2 * 0.01
            self.assertEqual((run.decided.word, run.until), ("won", run.decided.time))
            for row, way in zip(run.rows("projectiles"), (20, 60), strict=True):
                self.assertAlmostEqual(row["flight_time"], gap / 80, places=9)
                self.assertAlmostEqual(row["range"], way * gap / 80, places=7)

    def test_nonsense_is_told(self):
        for rule, says in (
            ("on.rivet.damage = 3", "no health"),
            ("on.rivet.then = 'lodge'", "for bodies"),
            ("on.rivets.then = 'end'", "no group"),
            ("on.anything.whose = 'own'", "is for on.ABILITY"),
        ):
            with self.assertRaises(DrillError, msg=rule) as caught:
                made(rule)
            self.assertIn(says, str(caught.exception))


def _with_taps(seed, taps):
    """The same two shooters with more shots, each a little scattered."""
    drill = made("on.rivet.then = 'pass'\nlaunch.scatter = 1.5", "launch.scatter = 1.5", speed=35, fast=45)
    rows = tomllib.loads(f"input = [{taps}]")["input"]
    return drill.with_settings({"world.seed": seed, "case.both.input": rows})


FLIGHTS = ("", "drag.linear = 0.4", "drag.linear = 8", "sway = { across = 0.5, period = 0.5 }",
           "homing = { turn_rate = 180 }", "thrust = { acceleration = 4, after = 0.1 }",
           "homing = { law = 'blend', gain = 3 }", "gravity_share = 0.2",
           "orbit = { radius = 2, turn_rate = 150, lasts = 1 }")  # fmt: skip
GROUNDS = ("'slide', friction = 0.1", "'bounce', restitution = 0.5, rests = 'rolls'", "'bounce', restitution = 0.8",
           "'bounce', restitution = 0.3, rests = 'stays'",
           "'lodge'")  # fmt: skip


def crossing(seed):
    """Two streams of shots that cross over the ground, under any force, in any step."""
    rng = np.random.default_rng(seed)
    view, up = (("y = 'up'", [1.5]), ("y = 'down'", [-1.5]), ("view = 'space'", [0, 1.5]))[seed % 3]
    lines = [f"nivvo = 1\nworld.{view}\n[tick]\nrate = {rng.choice([10, 20, 60, 144])}"]
    lines.append(f"motion = '{rng.choice(['exact', 'exact', 'semi-implicit', 'verlet'])}'")
    ways = (0, 180) if len(up) == 2 else ("'right'", "'left'")
    for name, x, facing in (("flare", -3, ways[0]), ("rivet", 6, ways[1])):
        lines += [
            f"[shooter.{name}s]\nat = {[x, *up]}\nfacing = {facing}",
            f"[ability.{name}]\nshooter = '{name}s'\nfiring = {{ kind = 'auto', rate = 4, button = '{name}' }}",
            f"launch = {{ speed = {rng.uniform(3, 12)}, elevation = {rng.uniform(-30, 60)} }}",
            f"shape.ball = {rng.uniform(0.1, 0.4)}\nhits_owner = 'never'\nlimits.life = 3",
            f"on.ground = {{ then = {rng.choice(GROUNDS)} }}\non.wisps.then = 'pass'",
            *(f"on.{one}.then = 'pass'" for one in ("flare", "rivet")),
            "on.shooters.then = 'ignore'" + (f"\nflight.{force}" if (force := str(rng.choice(FLIGHTS))) else ""),
        ]
    lines.append("[obstacle.deck]\nshape.half_space = 'up'\ngroup = 'ground'")
    bar = [float(rng.uniform(0, 3)), *(float(rng.uniform(0.5, 1.5)) * one for one in up)]
    lines.append(f"[obstacle.bar]\nat = {bar}\nshape.box = {[3, *[0.4] * len(up)]}\nturns = {rng.uniform(-200, 200)}")
    lines.append("group = 'ground'")
    lines.append(f"[target.wisp]\nat = {[2, *up[:-1], 2 * up[-1]]}\ngroup = 'wisps'\n[case.c]\nlasts = 4\ninput = [")
    lines.append("{ t = 0, press = 'flare' }, { t = 0.013, press = 'rivet' }, { t = 0.6, release = 'flare' },")
    return nivvo.parse("\n".join([*lines, "{ t = 0.7, release = 'rivet' }]"]))


class Forced(unittest.TestCase):
    def test_under_any_force_off_and_along_the_ground_as_a_dense_search_of_their_paths_finds_them(self):
        met, crossed = 0, 0
        for seed in range(120) if DEEP else range(16, 24):
            run = nivvo.fire(crossing(seed))
            told = {}
            for row in run.rows("meetings"):
                told.setdefault(frozenset((row["projectile"], row["other"])), []).append(row["time"])
            for one, other in itertools.combinations(run.ids.values(), 2):
                p, q = run.flight(one), run.flight(other)
                start, stop = max(p.t[0], q.t[0]), min(p.t[-1], q.t[-1])
                if stop <= start:
                    continue
                times = np.unique(np.concatenate([np.linspace(start, stop, 2000), p.t, q.t]))
                times = times[(times >= start) & (times <= stop)]
                far = run.radius_of(one) + run.radius_of(other)
                gaps = np.linalg.norm(p.at(times)[0] - q.at(times)[0], axis=1) - far
                said = told.get(frozenset((one, other)), [])
                # They come to overlap for more than a graze: each such time is told, within a step of the search.
                comes = times[1:][(gaps[1:] < -5e-3) & (gaps[:-1] >= -5e-3)]
                if gaps[0] > 1e-3 and len(comes):
                    crossed += 1
                    self.assertTrue(
                        any(0 <= comes[0] - time < 0.1 for time in said), (seed, one, other, comes[0], said)
                    )
                for time in said:
                    met += 1
                    off = np.linalg.norm(p.at(time)[0] - q.at(time)[0]) - far
                    self.assertLess(abs(off), 1e-9, (seed, one, other, time))
        self.assertGreater(min(met, crossed), 40)
