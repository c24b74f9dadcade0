"""Aims that turn at a rate: against angles that are added up by hand, from tick to tick and from input to input."""

import math
import unittest

import numpy as np

import nivvo

TEXT = """nivvo = 1
{world}
tick.rate = {rate}
[shooter.keeper]
at = {at}
{more}
[target.wisp]
at = {goal}
{move}
[ability.dart]
launch = {{ speed = 30{launch} }}
flight.gravity_share = 0
limits.life = 0.2
aim = {{ by = "{by}", turn_rate = {turn}{aim} }}
on.anything.then = "ignore"
[case.c]
input = [{input}]
lasts = 4
"""
WHERE = {
    "world": 'world.view = "top"', "rate": 60, "at": [0, 0], "more": "", "goal": [50, 50], "move": "", "launch": "",
    "by": "cursor", "turn": 120, "aim": "",
}  # fmt: skip


def wrapped(angle):
    return (angle + 180.0) % 360.0 - 180.0


def step(angle, wanted, most):
    """An angle on its way to another, the shorter way."""
    way = wrapped(wanted - angle)
    return wanted if abs(way) <= most else angle + math.copysign(most, way)


def fired(cursors, shots, **where):
    rows = [f"{{ t = {t!r}, cursor = {list(map(float, at))} }}" for t, at in cursors]
    rows += [f'{{ t = {t!r}, tap = "fire" }}' for t in shots]
    drill = nivvo.parse(TEXT.format(**{**WHERE, **where, "input": ", ".join(rows)}))
    return drill, nivvo.fire(drill)


def directions(run):
    return [row["direction"] for row in run.rows("shots")]


class Turns(unittest.TestCase):
    def test_toward_a_cursor_it_turns_at_its_rate_whatever_the_ticks(self):
        rng = np.random.default_rng(5)
        for world in ('world.view = "top"', 'world = { view = "top", y = "up" }', 'world.view = "side"'):
            for rate in (20, 60, 97):
                cursors = [(float(t), rng.uniform(-9, 9, 2)) for t in np.cumsum(rng.uniform(0.05, 0.9, 4))]
                shots = np.sort(rng.uniform(0.0, 3.0, 6)).tolist()
                _, run = fired(cursors, shots, world=world, rate=rate)
                # Before its first row the cursor is where that puts it.
                wanted = [math.degrees(math.atan2(at[1], at[0])) for _, at in cursors]
                starts = [0.0, *[t for t, _ in cursors][1:]]
                for time, found in zip(shots, directions(run), strict=True):
                    angle = 0.0
                    for k, start in enumerate(starts):
                        stop = min(time, starts[k + 1] if k + 1 < len(starts) else time)
                        angle = step(angle, wanted[k], 120.0 * max(stop - start, 0.0))
                    self.assertAlmostEqual(wrapped(found - angle), 0.0, delta=1e-9)

    def test_after_what_moves_it_turns_from_tick_to_tick(self):
        rng, held = np.random.default_rng(6), 0
        for by in ("nearest", "lead"):
            for rate in (30, 60):
                start, goes = rng.uniform(-6, 6, 2), rng.uniform(-4, 4, 2)
                place = f"move.through = [{start.tolist()}, {(start + 4 * goes).tolist()}]\nmove.speed = "
                shots = np.sort(rng.uniform(0.0, 3.0, 5)).tolist()
                move = f"{place}{np.linalg.norm(goes)}"
                _, run = fired([], shots, by=by, rate=rate, move=move, goal=start.tolist(), turn=40)
                flies = 30.0 if by == "lead" else math.inf

                def wanted(time, start=start, goes=goes, flies=flies):
                    # Where it is met by a shot that leaves from just outside of its shooter, 0.61 from its middle.
                    at, late = start + goes * time, 0.0
                    for _ in range(60):
                        late = max(np.linalg.norm(at + goes * late) - 0.61, 0.0) / flies
                    return math.degrees(math.atan2(*(at + goes * late)[::-1]))

                for time, found in zip(shots, directions(run), strict=True):
                    angle, now = 0.0, 0.0
                    for k in range(1, math.floor(time * rate + 1e-9) + 1):
                        angle, now = step(angle, wanted(k / rate), 40.0 / rate), k / rate
                    angle = step(angle, wanted(time), 40.0 * (time - now))
                    held += abs(wrapped(angle - wanted(time))) > 1.0
                    self.assertAlmostEqual(wrapped(found - angle), 0.0, delta=1e-6, msg=(by, rate, time))
        self.assertGreater(held, 4)

    def test_in_space_direction_and_elevation_each(self):
        for goal, launch, rises in (
            ([3, 4, 12], "", True),
            ([-3, 2, 1], "", True),
            ([-5, 1, 9], ", elevation = 30", False),
        ):
            cursors = [(0.0, goal)]
            world = 'world = { view = "space", up = "+z", forward = "+x", hand = "right" }'
            _, run = fired(
                cursors, [0.1, 0.3, 0.45, 5.0], world=world, at=[0, 0, 0], goal=[50, 50, 0], turn=200, launch=launch
            )
            x, y, z = goal
            for row in run.rows("shots"):
                most = 200.0 * row["time"]
                self.assertAlmostEqual(row["direction"], step(0.0, math.degrees(math.atan2(y, x)), most), delta=1e-9)
                up = step(0.0, math.degrees(math.atan2(z, math.hypot(x, y))), most) if rises else 30.0
                self.assertAlmostEqual(row["elevation"], up, delta=1e-9)

    def test_its_limits_are_never_crossed_and_straight_back_it_turns_over_the_top(self):
        cursors, shots = [(0.0, [-9, 3]), (1.5, [-9, -3])], np.arange(0.0, 4.0, 0.13).tolist()
        _, run = fired(cursors, shots, aim=", direction_within = [-170, 170]")
        there, back = math.degrees(math.atan2(3, -9)), math.degrees(math.atan2(-3, -9))
        for row in run.rows("shots"):
            time = row["time"]
            angle = min(120.0 * time, there) if time <= 1.5 else max(there - 120.0 * (time - 1.5), back)
            self.assertAlmostEqual(row["direction"], angle, delta=1e-9)
        for y, up in (("up", 1.0), ("down", -1.0)):
            for facing in (1.0, -1.0):
                world, more = f'world.y = "{y}"', f"facing = '{'+' if facing > 0.0 else '-'}x'"
                _, run = fired([(0.0, [-9 * facing, 0])], [0.5], world=world, more=more)
                turned = math.radians(60.0)
                found = math.radians(directions(run)[0])
                self.assertAlmostEqual(math.cos(found), facing * math.cos(turned), delta=1e-12)
                self.assertAlmostEqual(math.sin(found), up * math.sin(turned), delta=1e-12)

    def test_with_a_shooter_that_turns_to_the_other_side_it_is_mirrored(self):
        cursors = [(0.0, [4, 8]), (0.35, [-6, 2])]
        for y, sign in (("up", 1), ("down", -1)):
            turned = [(t, [x, sign * up]) for t, (x, up) in cursors]
            more = 'facing_follows = "cursor"'
            _, run = fired(turned, [0.2, 0.35, 0.4, 0.45, 2.0], world=f'world.y = "{y}"', more=more)
            low = math.degrees(math.atan2(2, 6))
            for row in run.rows("shots"):
                time = row["time"]
                angle = 120.0 * min(time, 0.35) if time <= 0.35 else max(42.0 - 120.0 * (time - 0.35), low)
                self.assertAlmostEqual(row["elevation"], angle, delta=1e-9)
                self.assertEqual(math.cos(math.radians(row["direction"])) > 0.0, time < 0.35)

    def test_what_is_told_remains_and_a_rate_beyond_need_is_none(self):
        drill, run = fired([(0.0, [0, 9])], [0.25, 2.0])
        first, last = run.rows("shots")
        self.assertAlmostEqual(first["aim_remains"], 60.0, delta=1e-9)
        self.assertIn("60° remain", first["note"])
        self.assertEqual((last["aim_remains"], last["note"], last["direction"]), (0.0, "", 90.0))
        fast, free = (
            drill.with_settings({"ability.dart.aim": {"by": "cursor", **more}}) for more in ({"turn_rate": 1e6}, {})
        )
        self.assertEqual(nivvo.fire(fast).digest, nivvo.fire(free).digest)

    def test_previews_live_sessions_and_going_back_are_the_flight(self):
        rng = np.random.default_rng(8)
        cursors = [
            (0.0, [3.0, 8.0]),
            *((float(t), rng.uniform(-9, 9, 2)) for t in np.cumsum(rng.uniform(0.05, 0.6, 5))),
        ]
        taps = (0.31, 0.72, 1.6)
        rows = sorted([*((t, False, list(map(float, at))) for t, at in cursors), *((t, True, None) for t in taps)])
        for by, rate in (("cursor", 60), ("nearest", 50)):
            move = "move.circle = { centre = [2, 1], turn_rate = 130 }"
            drill, run = fired(cursors, taps, by=by, rate=rate, move=move, goal=[5, 3])
            for row in run.rows("shots"):
                dots = nivvo.preview(drill, at=row["time"])
                heading = dots.points[-1] - dots.points[0]
                self.assertAlmostEqual(math.degrees(math.atan2(*heading[::-1])), row["direction"], delta=1e-9)
                # To a cursor that is asked for it is as if it had turned already.
                asked = nivvo.preview(drill, at=row["time"], cursor=[0, 9]) if by == "cursor" else None
                if asked:
                    self.assertAlmostEqual(float(np.ptp(asked.points[:, 0])), 0.0, delta=1e-12)
            live, flown = nivvo.Live(drill), {}
            for tick in range(2 * rate):
                if tick == rate // 2:
                    saved = live.snapshot()
                    for _ in range(20):
                        live.set_cursor([1.0, 1.0])
                        live.step()
                    live.restore(saved)
                for t, shoots, at in rows:
                    if tick <= t * rate < tick + 1:
                        (live.tap("fire", at=t) if shoots else live.set_cursor(at, at=t))
                at, heading = live.muzzle("dart")
                dots = live.preview("dart").points
                np.testing.assert_allclose(dots[[0, -1]], [at, at + 6.0 * heading], atol=1e-9)
                live.step()
                flown |= dict(zip(live.ids.tolist(), live.velocities.tolist(), strict=True))
            turned = [math.degrees(math.atan2(y, x)) for _, (x, y) in sorted(flown.items())]
            np.testing.assert_allclose(turned, directions(run), atol=1e-9)


if __name__ == "__main__":
    unittest.main()
