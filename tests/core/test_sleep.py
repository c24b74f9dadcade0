"""Projectiles that sleep until something can happen to them: the very events of those that never do."""

import itertools
import os
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

import nivvo
from nivvo.core import pool
from nivvo.core.flying.forces import acting
from nivvo.core.numbers import clock
from nivvo.core.tick import advance
from nivvo.core.world.arena import ticks_of
from tests.core.arenas import arena, ball, crowd, events_of, ticks
from tests.deep import DEEP

G = (0.0, -9.81, 0.0)


def flown(
    bodies, p, v, *, sleeps, then=pool.END, life=3 * clock.UNITS, count=180, rate=60.0, each=180, acts=G, guide=None,
    frames=None, **options,
):  # fmt: skip
    """Events, samples and places of shots among bodies."""
    options.setdefault("sampled", False)
    made = arena(bodies, sleeps=sleeps, scene=60.0, **options)
    launch = made.new_params(np.array(acts), 0.1, then=then, life=life, damage=1.0)
    for key, (one, fast) in enumerate(zip(p, v, strict=True)):
        made.put(launch, one, fast, key, key * 3_000_000, guide=guide)
    edges = clock.edges_of_rate(rate, 0, count)
    if frames is not None:
        edges = np.concatenate([[0], np.cumsum(clock.UNITS * frames).astype(np.int64)])
    for first in range(0, count, each):
        made.run(ticks_of(edges[first : first + each + 1], first, 1.0 / rate if frames is None else None))
    made.place_all(edges[count])
    made.cleared = int(((made.flight["clear"] > 0) | (made.wake != pool.AWAKE))[: made.live].sum())
    made.flight["flown"], made.flight["clear"] = 0.0, 0
    return events_of(made).tobytes(), made.take_samples().tobytes(), made.flight[: made.live].tobytes(), made


def shots(rng, count, side, flat):
    p, v = rng.uniform(0, side, (count, 3)), rng.normal(size=(count, 3)) * rng.choice([3.0, 12.0, 60.0], count)[:, None]
    if flat:
        p[:, 2] = v[:, 2] = 0.0
    return p, v


def whatever(rng, seeks, flat, step):
    """Some of all that may act, at random; what seeks turns by any law."""
    acts = {"linear": rng.choice([0.0, 0.1, 3.0]), "square": rng.choice([0.0, 0.02])}
    if rng.uniform() < 0.5:
        acts["wind"] = rng.normal(size=3) * [4, 4, 0 if flat else 2]
        acts["gusts"] = (rng.choice([0.0, 0.8]), 3.0, tuple(rng.uniform(0, 6, 3)))
    if rng.uniform() < 0.4:
        acts["thrust"] = (rng.uniform(5, 40), *sorted(rng.uniform(0, 1, 2)), int(rng.choice([0, 1])))
    if rng.uniform() < 0.3:
        acts["top"] = (
            rng.uniform(3, 30),
            int(rng.choice([pool.HOLDS, pool.BRAKES if step == pool.EXACT else pool.CUTS])),
        )
    if rng.uniform() < 0.2:
        acts["factor"] = rng.uniform(0.9, 1.0)
    if seeks:
        law, side = int(rng.integers(1, 5)), rng.choice([20.0, np.inf])
        acts["homing"] = (law, 0, rng.uniform(1, 6), rng.choice([2.0, 9.0, np.inf]), side, rng.uniform(0, 0.5), 1.2)
    return acting(G if rng.uniform() < 0.5 else (0.0, 0.0, 0.0), **acts)


class Same(unittest.TestCase):
    def compare(self, bodies, p, v, **options):
        one, other = (flown(bodies, p, v, sleeps=sleeps, **options) for sleeps in (True, False))
        for a, b, what in zip(one[:3], other[:3], ("events", "samples", "places"), strict=True):
            self.assertEqual(a, b, (what, options))
        return one[3]

    def test_events_are_the_same_among_bodies_that_stand_and_that_move(self):
        rng, slept = np.random.default_rng(8), 0
        touches = (pool.SWEPT, pool.AT_TICKS)
        for k, (flat, moving, touch) in enumerate(itertools.product((True, False), (0.0, 0.3), touches)):
            for _ in range(6):
                side = float(rng.uniform(15, 60))
                bodies = crowd(rng, int(rng.integers(3, 80)), side, flat, moving)
                p, v = shots(rng, 40, side, flat)
                options = {
                    "flat": flat,
                    "touch": touch,
                    "then": int(rng.choice([pool.END, pool.PASS])),
                    "acts": G if rng.uniform() < 0.7 else (0.0, 0.0, 0.0),
                    "rate": float(rng.choice([30.0, 60.0, 144.0])),
                    "each": int(rng.choice([1, 7, 180])),
                    "sampled": bool(k % 2),
                }
                if rng.uniform() < 0.3:
                    options["bounds"] = np.array([[-5.0, -40.0, -9.0], [side + 5, side + 20, side]])
                made = self.compare(bodies, p, v, **options)
                slept += int((made.wake[: made.live] != pool.AWAKE).sum())
        self.assertGreater(slept, 100)

    def test_in_one_call_they_are_as_tick_by_tick_and_counted_in_the_middle_of_it(self):
        """Rows of what has ended are left for a while within a call: nobody sees them, and nobody counts them."""
        rng, left = np.random.default_rng(81), 0
        for flat, sleeps in itertools.product((True, False), (True, False)):
            bodies, (p, v) = crowd(rng, 60, 40.0, flat, 0.2), shots(rng, 60, 40.0, flat)
            whole, cut = (flown(bodies, p, v, sleeps=sleeps, each=each, flat=flat) for each in (180, 1))
            self.assertEqual(whole[:3], cut[:3])
            made, rows, done = arena(bodies, sleeps=sleeps, scene=60.0, flat=flat, sampled=False), ticks(180), 0
            ends = made.new_params(np.array(G), 0.1, then=pool.END, life=clock.UNITS)
            asks = made.new_params(np.array(G), 0.1, then=pool.PASS, holds=1, life=clock.UNITS)
            made.put(np.where(np.arange(60) % 6, ends, asks), p, v, np.arange(60), 0)
            while done < len(rows) and made.live:
                done += made.run(rows[done:])
                told = made.events[: made.counters[pool.EVENTS]]
                over = np.count_nonzero((told["kind"] == pool.ENDED) & (told["tick"] < done))
                self.assertEqual(made.flying, 60 - over)
                left += made.live - made.flying
                self.assertTrue(made.why == pool.HOLD or made.live == made.flying)
        self.assertGreater(left, 20)

    def test_so_they_are_through_drag_where_nothing_is_near_for_some_ticks(self):
        """In wind too, stiff drag and slow shots, thrown back or not, in both ways to see contacts; and grazes."""
        rng, clear = np.random.default_rng(21), 0
        for flat, touch in itertools.product((True, False), (pool.SWEPT, pool.AT_TICKS)):
            for _ in range(4):
                side = float(rng.uniform(20, 60))
                bodies, (p, v) = crowd(rng, int(rng.integers(3, 60)), side, flat, 0.0), shots(rng, 30, side, flat)
                linear, square = rng.choice([0.0, 0.05, 2.0, 40.0]), rng.choice([0.001, 0.05])
                wind = rng.normal(size=3) * [4, 4, 0] * rng.integers(2)
                acts = acting(G if rng.uniform() < 0.5 else (0.0, 0.0, 0.0), linear=linear, square=square, wind=wind)
                options = {"then": int(rng.choice([pool.END, pool.PASS])), "each": int(rng.choice([1, 7, 180]))}
                options |= {"rate": float(rng.choice([30, 144])), "sampled": rng.uniform() < 0.3}
                if rng.uniform() < 0.3:
                    options["bounds"] = np.array([[-5.0, -40.0, -9.0], [side + 5, side + 20, side]])
                made = self.compare(bodies, p, v, acts=acts, flat=flat, touch=touch, **options)
                clear += made.cleared
        self.assertGreater(clear, 25)
        for exponent in range(2, 14):
            for turn in rng.uniform(0, 2 * np.pi, 6):
                way = np.array([np.cos(turn), np.sin(turn), 0.0])
                start = -9.0 * way + (0.6 + rng.choice([-1, 1]) * 10.0**-exponent) * np.array([-way[1], way[0], 0.0])
                self.compare([ball((0, 0, 0))], [start], [9.0 * way], acts=acting((0, 0, 0), linear=0.1), count=240)
            # A bound at the top of its way, or one below.
            for way, turns in itertools.product((1.0, -1.0), (True, False)):
                k, up = rng.uniform(0.1, 1.0), rng.uniform(3.0, 12.0)
                rises = np.log1p(k * up / 9.81) / k
                top = (up - 9.81 * rises) / k + rng.choice([-1, 1]) * 10.0**-exponent if turns else 99.0
                bounds = np.sort([[-99.0, way * rng.uniform(-9, 0), -9.0], [99.0, way * top, 9.0]], axis=0)
                acts = acting((0.0, -9.81 * way, 0.0), linear=k)
                self.compare([], [(0, 0, 0)], [(6.0, way * up, 0.0)], acts=acts, bounds=bounds)

    def test_so_they_are_whatever_acts_in_every_step_among_what_moves(self):
        rng, clear, own = np.random.default_rng(22), 0, 0
        for step, flat in itertools.product(pool.STEPS.values(), (True, False)):
            for _ in range(60 if DEEP else 4):
                side = float(rng.uniform(20, 60))
                bodies, (p, v) = crowd(rng, int(rng.integers(3, 50)), side, flat, 0.4), shots(rng, 30, side, flat)
                bodies["a0"] = rng.normal(size=(len(bodies), 3)) * [1, 1, not flat] * (bodies["v0"] != 0)
                guide = {"body": int(rng.integers(len(bodies)))} if rng.uniform() < 0.6 else None
                options = {
                    "acts": whatever(rng, guide is not None, flat, step),
                    "step": step,
                    "flat": flat,
                    "guide": guide,
                }
                options |= {"then": int(rng.choice([pool.END, pool.PASS])), "each": int(rng.choice([1, 7, 90]))}
                options |= {"rate": float(rng.choice([30, 60, 144])), "touch": int(rng.choice([0, 0, 1])), "count": 90}
                if rng.uniform() < 0.4:
                    options["frames"] = rng.choice([1 / 240, 1 / 60, 1 / 15], 90)
                made = self.compare(bodies, p, v, **options)
                clear += made.cleared
                own += made.cleared * (step != pool.EXACT)
        self.assertGreater(clear, 500)
        self.assertGreater(own, 250)

    def test_plain_and_compiled_sleep_alike(self):
        rng, results = np.random.default_rng(4), []
        bodies, (p, v), drag = crowd(rng, 40, 30.0, False, 0.3), shots(rng, 40, 30.0, False), {"square": 0.02}
        for mode in ("never", "always"):
            advance.forget()
            with mock.patch.dict(os.environ, NIVVO_COMPILE=mode):
                forces = (acting(G, **drag, **more) for more in ({}, {"thrust": (9.0, 0.2, 1.0, pool.ON_VELOCITY)}))
                results.append([flown(bodies, p, v, sleeps=True, flat=False, acts=acts)[:3] for acts in (G, *forces)])
        advance.forget()
        self.assertEqual(*results)

    def test_a_graze_is_met_or_missed_as_by_one_that_never_sleeps(self):
        rng = np.random.default_rng(5)
        for exponent in range(2, 14):
            for side in (-1.0, 1.0):
                off = side * 10.0**-exponent
                turns = rng.uniform(0, 2 * np.pi, 12)
                for turn in turns:
                    # Far away: it sleeps for a second and a half before it comes by.
                    way = np.array([np.cos(turn), np.sin(turn), 0.0])
                    across = np.array([-way[1], way[0], 0.0])
                    start = -30.0 * way + (0.6 + off) * across
                    self.compare([ball((0, 0, 0))], [start], [20.0 * way], acts=(0.0, 0.0, 0.0), count=240)


WAYS = {"move": ((9.0, 0.2, 0.0), (0.0, 0.0, 0.0)), "drive": ((9.0, 7.0, 0.0), (0.0, -15.0, 0.0))}


class Drills(unittest.TestCase):
    def test_every_demo_case_is_the_same_with_nobody_asleep(self):
        for path in sorted(Path(nivvo.__file__).parent.glob("demo/*.toml")):
            digests = []
            for mode in ("auto", "never"):
                # Read anew: a drill keeps the engine that its scene was laid for.
                with mock.patch.dict(os.environ, NIVVO_SLEEP=mode, NIVVO_COMPILE="always"):
                    made = nivvo.load(path)
                    digests.append([nivvo.fire(made, case).digest for case in made.cases])
            self.assertEqual(*digests, path.name)


CHASED = """nivvo = 1
[world]
view = "{view}"
[shooter.keeper]
at = {home}
move.velocity = {walk}
[ability.rivet]
firing = {{ kind = "auto", interval = {interval} }}
aim.by = "nearest"
launch = {{ speed = {speed}, count = 3, fan = 70 }}
limits.life = 4
shape.ball = 0.1
on.gulls = {{ damage = 5, then = "pass" }}
on.rocks = {{ then = "bounce", restitution = 0.8 }}
[target.gull]
group = "gulls"
health = 20
move = {{ chase = "keeper", speed = {pace} }}
wave = {{ count = 8, every = 0.4, region = {region}, most = 4 }}
[target.tern]
group = "gulls"
at = {tern}
move = {{ flee = "keeper", speed = {pace} }}
{rocks}
[case.tap]
lasts = 5
input = [{{ t = 0, press = "fire" }}]
"""


def chased(seed):
    """A scene in which most that there is moves, in one of three views."""
    rng = np.random.default_rng(seed)
    size = 3 if seed % 3 == 2 else 2

    def point(far):
        return rng.uniform(-far, far, size).round(3).tolist()

    rocks = "".join(
        f"[obstacle.rock_{k}]\ngroup = 'rocks'\nat = {point(9)}\nshape.ball = 0.8\n"
        + (f"move.velocity = {point(1)}\n" if k % 2 else "")
        for k in range(5)
    )
    numbers = {"interval": rng.uniform(0.05, 0.3), "speed": rng.uniform(5, 40), "pace": rng.uniform(1, 5)}
    return CHASED.format(view=("side", "top", "space")[seed % 3], home=[0.0] * size, walk=point(1), tern=point(8),
                         region=[[-12.0] * size, [12.0] * size], rocks=rocks,
                         **{key: round(float(x), 3) for key, x in numbers.items()})  # fmt: skip


class Chased(unittest.TestCase):
    def test_what_turns_at_any_tick_is_met_as_if_nobody_slept(self):
        for seed in range(60 if DEEP else 6):
            digests = []
            for mode in ("auto", "never"):
                with mock.patch.dict(os.environ, NIVVO_SLEEP=mode, NIVVO_COMPILE="always"):
                    digests.append(nivvo.fire(nivvo.parse(chased(seed)), patient=True).digest)
            self.assertEqual(*digests, seed)


class Woken(unittest.TestCase):
    def far_shot(self, sleeps):
        made = arena([ball((0, 90, 0), key=0), ball((5, 80, 0), key=1)], sleeps=sleeps, scene=60.0, sampled=False)
        made.put(made.new_params(np.zeros(3), 0.1), (0.0, 0.0, 0.0), (10.0, 0.0, 0.0), 1, 0)
        made.run(ticks(30))
        return made

    def test_by_a_body_that_is_set_in_its_way_moved_or_added(self):
        for what in ("move", "add", "drive"):
            taken = []
            for sleeps in (True, False):
                made = self.far_shot(sleeps)
                if sleeps:
                    self.assertNotEqual(int(made.wake[0]), pool.AWAKE)
                now = clock.edge_of_rate(60.0, 30)
                if what == "add":
                    number = made.grow_bodies()
                    made.bodies[number] = ball((9.0, 0.2, 0.0), key=number)
                else:
                    made.bodies[0]["moves"] = 1
                    place, velocity = WAYS[what]
                    made.set_motion(0, place, velocity, np.zeros(3), now)
                made.plan()
                made.run(ticks(90, first=30))
                taken.append(events_of(made))
            self.assertEqual(taken[0].tobytes(), taken[1].tobytes())
            self.assertIn(pool.CONTACT, taken[0]["kind"], what)

    def test_by_an_end_that_the_game_decides_between_ticks_or_within_one(self):
        for when in (0.0, 0.4):
            taken = []
            for sleeps in (True, False):
                made = self.far_shot(sleeps)
                edge, after = (clock.edge_of_rate(60.0, n) for n in (30, 31))
                time = edge + int(when * (after - edge))
                if when:
                    made.run(ticks(1, first=30), until=time, keep=True)
                made.end(0, time, pool.BY_PRESS)
                made.run(ticks(1, first=30), keep=True)
                taken.append(events_of(made))
            self.assertEqual(taken[0].tobytes(), taken[1].tobytes())
            self.assertEqual(int(taken[0]["code"][-1]), pool.BY_PRESS)
            self.assertAlmostEqual(float(taken[0]["p"][-1][0]), 10.0 * time / clock.UNITS, delta=1e-9)

    def test_a_copy_sleeps_on_and_wakes_with_the_same_bytes(self):
        import pickle

        bodies = [ball((18.0, 0.3, 0.0))]
        made = arena(bodies, scene=60.0, sampled=False)
        made.put(made.new_params(np.zeros(3), 0.1), (0.0, 0.0, 0.0), (10.0, 0.0, 0.0), 1, 0)
        made.run(ticks(60))
        self.assertNotEqual(int(made.wake[0]), pool.AWAKE)
        twin = pickle.loads(pickle.dumps(made))
        for one in (made, twin):
            one.take_events()
            one.run(ticks(90, first=60))
        self.assertEqual(events_of(made).tobytes(), events_of(twin).tobytes())


if __name__ == "__main__":
    unittest.main()
