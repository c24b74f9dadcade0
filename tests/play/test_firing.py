"""Firing against slow models of it, a millisecond at a time, and against the textbooks of timers at ticks."""

import itertools
import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

import nivvo
from nivvo.core.numbers import clock
from nivvo.plan.abilities.numbers import Moment, curve_of, resolve
from nivvo.spec.scenes.values import Depends

DRILL = """nivvo = 1
{world}
[shooter.keeper]
{shooter}
[ability.rivet]
launch.speed = 20
limits.life = {life}
flight.gravity_share = 0
{firing}
[case.play]
{lasts}
input = [{rows}]
"""


def played(firing, rows, world="", life=0.002, lasts="", shooter="at = [0, 1]"):
    rows = ", ".join(rows)
    text = DRILL.format(firing=firing, rows=rows, world=world, life=life, lasts=lasts, shooter=shooter)
    return nivvo.fire(nivvo.parse(text), keep="contacts")


def held(spans):
    return [f'{{t={a / 1000}, hold="fire", held={(b - a) / 1000}}}' for a, b in spans]


def times(run):
    return [round(row["time"] * 1000, 6) for row in run.rows("shots")]


def presses(run):
    """How many presses came to a use, and how many to nothing."""
    return len({shot.use for shot in run.fired}), sum(one.astray is not None for one in run.state_changes)


@st.composite
def holds(draw):
    """Holds of one button that do not overlap, in milliseconds; a tap has no length."""
    spans, now = [], 0
    for _ in range(draw(st.integers(1, 7))):
        now += draw(st.integers(1, 300))
        end = now + draw(st.sampled_from([0, 0, 1, 40, 100, 200, 333, 500]))
        spans.append((now, end))
        now = end
    return spans


class Exact(unittest.TestCase):
    @settings(deadline=None, max_examples=60)
    @given(holds(), st.sampled_from([0, 100, 150, 400]), st.sampled_from([0, 60, 250]))
    def test_single_is_one_shot_a_press_that_never_beats_its_cooldown(self, spans, cooldown, keeps):
        keys = f"firing.cooldown = {cooldown / 1000}\nfiring.remembers = {keeps / 1000}"
        expected, free, kept, lost = [], 0, None, [a for a, _ in spans]
        for now in range(6000):
            if kept is not None and now >= free:
                if now - kept <= keeps:
                    expected.append(now)
                    lost.remove(kept)
                    free = now + cooldown
                kept = None
            if any(a == now for a, _ in spans):
                if now >= free:
                    expected.append(now)
                    lost.remove(now)
                    free = now + cooldown
                elif keeps:
                    kept = now
        run = played(keys, held(spans))
        self.assertEqual(times(run), expected)
        astray = [one.astray for one in run.state_changes if one.astray is not None]
        self.assertEqual([round(time / clock.UNITS * 1000, 6) for time in astray], lost)

    @settings(deadline=None, max_examples=80)
    @given(holds(), st.sampled_from([1, 70, 100, 125]), st.sampled_from([None, 3, 5]), st.sampled_from([30, 60, 144]))
    def test_auto_fires_at_the_press_and_every_interval_until_the_release(self, spans, interval, ammo, rate):
        keys = f'firing.kind = "auto"\nfiring.interval = {interval / 1000}\n'
        keys += "" if ammo is None else f"firing.ammo = {ammo}\nfiring.reload = 0.3"
        expected, free, left = [], 0, ammo
        for now in range(6000):
            if left == 0 and now >= free:
                left = ammo
            down = any(a <= now < b or a == b == now for a, b in spans)
            if down and now >= free:
                expected.append(now)
                free = now + interval
                if left is not None:
                    left -= 1
                    free = max(free, now + 300) if left == 0 else free
        run = played(keys, held(spans), world=f"tick.rate = {rate}")
        self.assertEqual(times(run), expected)
        self.assertEqual(presses(run)[1], sum(not any(a <= time <= b for time in expected) for a, b in spans))

    @settings(deadline=None, max_examples=60)
    @given(holds(), st.integers(1, 5), st.sampled_from([1, 40, 90]), st.booleans(), st.sampled_from([0, 200]))
    def test_burst_finishes_or_stops(self, spans, shots, gap, stops, cooldown):
        how = "stop" if stops else "finish"
        keys = f'firing.kind = "burst"\nfiring.shots = {shots}\nfiring.interval = {gap / 1000}\n'
        keys += f'firing.on_release = "{how}"\n'
        keys += f"firing.cooldown = {cooldown / 1000}"
        expected, free, following, more, end = [], 0, None, 0, None
        for now in range(9000):
            start = next(((a, b) for a, b in spans if a == now), None)
            if following is not None and stops and end is not None and now >= end and now > expected[-1]:
                following, more = None, 0
                free = max(free, expected[-1] + cooldown)
            if start and following is None and now >= free:
                expected.append(now)
                more, end = shots - 1, start[1]
                following = now + gap if more else None
                free = now + cooldown
                if stops and end == now:
                    following, more = None, 0
            elif following == now:
                expected.append(now)
                more -= 1
                following = now + gap if more else None
                free = now + cooldown
        run = played(keys, held(spans))
        self.assertEqual(times(run), expected)
        self.assertEqual(sum(presses(run)), len(spans))

    @settings(deadline=None, max_examples=60)
    @given(holds(), st.sampled_from([0, 80]), st.sampled_from(["wait", "let go", "fizzle", "fall back"]))
    def test_charge_holds_caps_and_resets(self, spans, least, at_full):
        keys = f'firing.kind = "charge"\nfiring.full_after = 0.3\nfiring.min_hold = {least / 1000}\n'
        keys += f'firing.at_full = "{at_full}"'
        expected = []
        for a, b in spans:
            # A release at the very moment comes first, as every button does.
            if b - a > 300 and at_full in ("let go", "fizzle"):
                expected += [(a + 300, 300)] if at_full == "let go" else []
                continue
            fell = at_full == "fall back" and b - a > 300
            expected.append((b, 0 if fell or b - a < least else min(b - a, 300)))
        run = played(keys, held(spans))
        found = [(round(row["time"] * 1000, 6), round(row["held"] * 1000, 6)) for row in run.rows("shots")]
        self.assertEqual(found, expected)
        self.assertEqual(presses(run), (len(expected), len(spans) - len(expected)))

    @settings(deadline=None, max_examples=60)
    @given(
        st.lists(st.tuples(st.integers(1, 150), st.sampled_from(["fire", "yes", "no"])), min_size=1, max_size=14),
        st.sampled_from([None, 1, 30]),
        st.sampled_from([0, 50, 120]),
    )
    def test_ready_and_winding_up_against_a_walk_through_every_millisecond(self, presses, wind_up, cooldown):
        keys = 'firing.kind = "ready"\nfiring.confirm = "yes"\nfiring.cancel = "no"\nfiring.gives_up_after = 0.2\n'
        keys += f"firing.cooldown = {cooldown / 1000}\n" + (f"firing.wind_up = {wind_up / 1000}" if wind_up else "")
        at = dict(zip(np.cumsum([gap for gap, _ in presses]).tolist(), [b for _, b in presses], strict=True))
        state, since, free, expected = "idle", 0, 0, []
        for now in range(3000):
            button = at.get(now)
            if button == "fire" and state == "idle" and now >= free:
                state, since = "ready", now
            elif button == "no" and state != "idle":
                state = "idle"
            elif button == "yes" and state == "ready":
                state, since = "winding", now
            if state == "ready" and now >= since + 200:
                state = "idle"
            if state == "winding" and now >= since + (wind_up or 0):
                expected.append(now)
                state, free = "idle", now + cooldown
        rows = [f'{{t={now / 1000}, tap="{button}"}}' for now, button in at.items()]
        self.assertEqual(times(played(keys, rows)), expected)

    def test_ready_shows_confirms_gives_up_and_is_left(self):
        keys = 'firing.kind = "ready"\nfiring.confirm = "yes"\nfiring.cancel = "no"\nfiring.gives_up_after = 1.0'
        rows = [
            (0, "fire"),
            (300, "yes"),
            (500, "yes"),
            (600, "fire"),
            (700, "no"),
            (750, "yes"),
            (900, "fire"),
            (2500, "yes"),
        ]
        run = played(keys, [f'{{t={t / 1000}, tap="{button}"}}' for t, button in rows])
        self.assertEqual(times(run), [300])
        states = [(round(row["time"], 6), row["state"], row["why"]) for row in run.rows("states")]
        self.assertIn((0.7, "idle", "cancelled by its button"), states)
        self.assertIn((1.9, "idle", "gave up"), states)
        own = played('firing.kind = "ready"', held([(0, 10), (400, 410)]))
        self.assertEqual(times(own), [400])

    def test_a_press_of_what_is_down_already_is_none_and_told_once_a_hold(self):
        rows = [f'{{t={t}, press="fire"}}' for t in (0, 0.1, 0.2)] + [f'{{t={t}, tap="fire"}}' for t in (0.3, 0.5)]
        run = played("", rows)
        self.assertEqual(times(run), [0, 500])
        self.assertEqual(presses(run), (2, 1))

    def test_wind_up_recovery_and_a_feet_lock(self):
        keys = "firing.wind_up = 0.2\nfiring.recovery = 0.3\nfiring.locks_movement = true"
        rows = ["{t=0, walk=[1, 0]}", '{t=1, tap="fire"}', '{t=1.1, tap="fire"}', '{t=1.6, tap="fire"}']
        run = played(keys, rows, shooter="at = [0, 1]\nwalk.speed = 2", life=2)
        self.assertEqual(times(run), [1200, 1800])
        motion = run.stage.motions[run.scene.number["keeper"]]
        for t, x in ((1.0, 2.0), (1.5, 2.0), (1.6, 2.2), (2.1, 2.2), (2.5, 3.0)):
            self.assertAlmostEqual(motion.seen(t)[0][0], x, delta=1e-9)
        names = [row["state"] for row in run.rows("states") if not row["why"]]
        self.assertEqual(names.count("winding up"), 2)
        self.assertEqual(names.count("recovering"), 2)

    def test_heat_stops_a_stream_until_it_has_cooled(self):
        keys = 'firing = { kind = "auto", interval = 0.1, '
        keys += "heat = { per_shot = 0.3, cooling = 0.5, resume_at = 0.2 } }"
        heat, free, expected, was = 0.0, 0.0, [], 0.0
        for now in np.round(np.arange(0, 4, 0.001), 3):
            if now >= free - 1e-9:
                heat = max(heat - 0.5 * (now - was), 0.0) + 0.3
                was = now
                expected.append(round(now * 1000))
                free = now + 0.1
                if heat >= 1.0 - 1e-9:
                    free = max(free, now + (heat - 0.2) / 0.5)
        found = times(played(keys, held([(0, 4000)])))
        np.testing.assert_allclose(found, expected, atol=1.01)
        self.assertGreater(len(found), 5)

    def test_shared_cooldowns_and_cancelling(self):
        text = """nivvo = 1
[ability.a]
firing = { button = "a", cooldown = 0.5, shared_cooldown = "tools" }
launch.speed = 10
limits.life = 0.1
[ability.b]
firing = { button = "b", cooldown = 0.2, shared_cooldown = "tools" }
launch.speed = 10
limits.life = 0.1
[ability.c]
firing = { kind = "charge", button = "c" }
launch.speed = 10
limits.life = 0.1
[ability.d]
firing = { button = "d", cancels = ["c"] }
launch.speed = 10
limits.life = 0.1
[case.play]
input = [{ t = 0, tap = "a" }, { t = 0.3, tap = "b" }, { t = 0.6, tap = "b" }, { t = 0.7, tap = "a" },
         { t = 1.0, hold = "c", held = 1.0 }, { t = 1.5, tap = "d" }]
"""
        rows = nivvo.fire(nivvo.parse(text)).rows("shots")
        self.assertEqual([(row["ability"], row["time"]) for row in rows], [("a", 0.0), ("b", 0.6), ("d", 1.5)])

    def test_breaking_off_a_burst_does_not_beat_its_cooldown(self):
        keys = 'firing = { kind = "burst", shots = 5, interval = 0.1, cooldown = 0.6, cancel = "no" }'
        rows = [(0, "fire"), (150, "no"), (300, "fire"), (699, "fire"), (700, "fire"), (720, "no")]
        run = played(keys, [f'{{t={t / 1000}, tap="{button}"}}' for t, button in rows])
        self.assertEqual(times(run), [0, 100, 700])
        # What has come to some of its shots has not come to none.
        self.assertEqual(presses(run), (2, 2))
        keys = 'firing = { kind = "burst", shots = 5, interval = 0.1, ammo = 3 }'
        self.assertEqual(presses(played(keys, held([(0, 0), (900, 900)]))), (1, 1))


def textbook(rule, bits, interval, dt, count):
    """Ticks at which a held button fires, by the game's own loop of that timer."""
    real = np.float32 if bits == 32 else np.float64
    dt, interval, fired = real(dt), real(interval), [0]
    now, goal, left, total = real(0), interval, interval, real(0)
    for tick in range(1, count):
        now = real(now + dt)
        if rule == "re-armed" and now >= goal:
            fired.append(tick)
            goal = real(now + interval)
        if rule == "counting down":
            left = real(left - dt)
            if left <= 0:
                fired.append(tick)
                left = interval
        if rule == "accumulating":
            total = real(total + dt)
            while total >= interval:
                fired.append(tick)
                total = real(total - interval)
    return fired


class AtTicks(unittest.TestCase):
    def test_the_delivered_rate_is_what_the_textbook_of_the_timer_says(self):
        quirks = 0
        for rule in ("re-armed", "counting down", "accumulating"):
            for rate in (30, 60, 144):
                for interval in (0.1, 1 / 12, 0.007):
                    found = {}
                    for bits in (32, 64):
                        world = f'tick = {{ rate = {rate}, input = "at ticks", timer = "{rule}", timer_bits = {bits} }}'
                        keys = f'firing.kind = "auto"\nfiring.interval = {interval}'
                        run = played(keys, ['{t=0, hold="fire", held=4}'], world=world, life=0.001)
                        found[bits] = [round(row["time"] * rate) for row in run.rows("shots")]
                        expected = textbook(rule, bits, interval, 1.0 / rate, 4 * rate)
                        self.assertEqual(found[bits], expected, (rule, rate, interval, bits))
                    quirks += found[32] != found[64]
        self.assertGreater(quirks, 0)

    def test_only_an_accumulating_timer_holds_a_rate_that_the_tick_does_not_divide(self):
        counts = {}
        for rule in ("re-armed", "counting down", "accumulating"):
            world = f'tick = {{ rate = 60, input = "at ticks", timer = "{rule}" }}'
            run = played('firing.kind = "auto"\nfiring.rate = 23', ['{t=0, hold="fire", held=10}'], world=world)
            counts[rule] = len(run.rows("shots"))
        self.assertEqual(counts["accumulating"], 230)
        self.assertEqual(counts["counting down"], 200)


class Numbers(unittest.TestCase):
    def test_steps_of_a_hold_are_exact_capped_and_reset(self):
        damage = Depends(by="held", start=2.0, step=7.0, every=0.2, cap=60.0)
        for ms in range(4001):
            expected = min(2 + 7 * (ms // 200), 60)
            found = resolve(curve_of(damage, None), Moment(held=clock.from_seconds(ms / 1000)), "damage")
            self.assertEqual(found, expected, ms)
        keys = 'firing.kind = "charge"\non.targets.damage = { by = "held", start = 2, step = 7, every = 0.2, cap = 60 }'
        rows = '{t=0, hold="fire", held=3.9}, {t=4.5, tap="fire"}'
        text = DRILL.format(firing=keys, rows=rows, world="", life=3, lasts="", shooter="at = [0, 1]")
        run = nivvo.fire(nivvo.parse(text + "[target.wisp]\nat = [9, 1]\nshape.ball = 1\n"))
        self.assertEqual([row["amount"] for row in run.rows("effects")], [60.0, 2.0])

    def test_a_number_by_age_or_path_is_read_off_where_it_touches(self):
        for by, keys, expected in (
            ("age", "start = 10, end = 30, over = 0.8", lambda t, s: 10 + 20 * min(t / 0.8, 1)),
            ("flown", "points = [[0, 40], [6, 40], [12, 10]]", lambda t, s: np.interp(s, [6, 12], [40, 10])),
            ("age", "start = 3, step = 2, every = 0.1, cap = 9", lambda t, s: min(3 + 2 * int(t / 0.1), 9)),
            ("age", 'start = 0, end = 8, over = 1.0, ease = "in"', lambda t, s: 8 * t * t),
        ):
            for far in (4.0, 9.0, 14.0):
                firing = f'on.targets.damage = {{ by = "{by}", {keys} }}'
                text = DRILL.format(
                    firing=firing, rows='{t=0.0137, tap="fire"}', world="", life=3, lasts="", shooter="at = [0, 1]"
                )
                run = nivvo.fire(nivvo.parse(text + f"[target.wisp]\nat = [{far}, 1]\nshape.ball = 0.5\n"))
                row = run.rows("effects")[0]
                age = row["time"] - 0.0137
                self.assertAlmostEqual(row["amount"], expected(age, 20 * age), delta=2e-3 if "ease" in keys else 1e-9)

    def test_random_numbers_belong_to_their_names(self):
        keys = 'launch.speed = { by = "random", low = 10, high = 20 }'
        text = DRILL.replace("launch.speed = 20\n", "")
        rows = [f'{{t={k / 10}, tap="fire"}}' for k in range(40)]

        def speeds(some):
            made = text.format(firing=keys, rows=", ".join(some), world="", life=0.01, lasts="", shooter="at = [0, 1]")
            return [row["speed"] for row in nivvo.fire(nivvo.parse(made)).rows("shots")]

        every = speeds(rows)
        self.assertTrue(all(10 <= one <= 20 for one in every))
        self.assertGreater(len(set(every)), 30)
        self.assertEqual(speeds(rows[:5]), every[:5])


class Limits(unittest.TestCase):
    def counts(self, run):
        return int(run.in_the_air()[1].max())

    def test_only_so_many_and_what_then(self):
        rows = [f'{{t={k / 10}, tap="fire"}}' for k in range(10)]
        run = played('limits.in_the_air = 3\nlimits.when_full = "refuse"', rows, life=0.55)
        self.assertEqual(self.counts(run), 3)
        self.assertEqual(times(run), [0, 100, 200, 600, 700, 800])
        self.assertIn("only 3 may be in the air", run.refused[0].refused)
        run = played('limits.in_the_air = 1\nlimits.when_full = "end oldest"', rows, life=5)
        self.assertEqual((self.counts(run), len(run.rows("shots"))), (1, 10))
        ends = [row["ended"] for row in run.rows("projectiles")]
        np.testing.assert_allclose(ends[:-1], np.arange(1, 10) / 10, atol=1e-12)
        self.assertIn("newer one", run.rows("projectiles")[0]["reason"])

    def test_the_live_count_settles_where_rate_times_life_says(self):
        run = played('firing.kind = "auto"\nfiring.rate = 20', held([(0, 5000)]), life=1.5)
        at, count = run.in_the_air()
        self.assertEqual(count[(at > 2.0) & (at < 4.9)].max(), 30)

    def test_reach_is_path_or_distance_from_the_launch_or_from_the_shooter_now(self):
        for view in ("side", "top"):
            lob = "launch.elevation = 70\nflight.gravity_share = 1" if view == "side" else ""
            for step in ("exact", "semi-implicit"):
                world = f'world.view = "{view}"\ntick.motion = "{step}"'
                walk = "at = [0, 1]\nmove.velocity = [3, 0]"
                for kind in ("launch", "shooter"):
                    keys = f'limits.reach = 8\nlimits.reach_from = "{kind}"\n{lob}'.replace(
                        "flight.gravity_share = 1", ""
                    )
                    run = played(keys, ['{t=0.1, tap="fire"}'], world=world, life=5, shooter=walk)
                    path = run.flight("rivet-1")
                    end, when = path.p[-1], path.t[-1]
                    base = path.p[0] if kind == "launch" else run.stage.motions[0].seen(when)[0]
                    self.assertAlmostEqual(np.linalg.norm(end - base), 8.0, delta=1e-9)
                    self.assertIn("reach", run.rows("projectiles")[0]["reason"])

    def test_a_further_press_ends_what_is_in_the_air(self):
        rows = ['{t=0, tap="fire"}', '{t=0.4, tap="fire"}', '{t=2.0, tap="fire"}', '{t=2.2, tap="fire"}']
        run = played('when.again.then = "end"', rows, life=1.0)
        self.assertEqual(times(run), [0, 2000])
        rows_ = run.rows("projectiles")
        self.assertAlmostEqual(rows_[0]["ended"], 0.4, delta=1e-12)
        self.assertIn("pressed again", rows_[0]["reason"])
        for drag, rate in itertools.product((0.2, 8, 60, 300), (7, 60)):
            # However far it has flown in the tick already.
            keys = f'when.again.then = "end"\nflight.drag.linear = {drag}'
            row = played(keys, rows[:2], life=1.0, world=f"[tick]\nrate = {rate}").rows("projectiles")[0]
            self.assertAlmostEqual(row["ended"], 0.4, delta=1e-12)
            self.assertAlmostEqual(row["range"], 20 / drag * -math.expm1(-0.4 * drag), delta=1e-6)
        late = ['{t=0, tap="fire"}', '{t=1.5, tap="fire"}']
        self.assertEqual(times(played('when.again = { none_left = "nothing" }', late, life=1.0)), [0])
        self.assertEqual(times(played('when.again = { none_left = "fire" }', late, life=1.0)), [0, 1500])
