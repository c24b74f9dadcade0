"""What slides, rolls, comes to rest and lodges: distances, times and places by closed forms; nothing sinks in."""

import itertools
import math
import unittest

import numpy as np
from scipy.integrate import solve_ivp

import nivvo
from nivvo.core.geometry.shapes import distance
from nivvo.errors import DrillError

G = 9.81


def made(answer, bodies, *, launch="launch.speed = 5", life=60, view="", more=""):
    return nivvo.parse(
        f"nivvo = 1\n{view}\n{more}\n[ability.puck]\n{launch}\nshape.ball = 0.1\nlimits.life = {life}\n"
        f"on.anything = {{ {answer} }}\nhits_owner = 'never'\n{bodies}\n[case.tap]\n"
    )


def path_of(drill):
    run = nivvo.fire(drill, patient=True)
    return run, run.flight(next(iter(run.ids.values())))


def said(run, what):
    return [row["time"] for row in run.rows("events") if row["what"] == what]


CRATE = (
    "[obstacle.crate]\nat = [0, -1]\nshape.box = [4, 1]\nshape.turned = {}\n"
    "[obstacle.deck]\nat = [0, -6]\nshape.half_space = 'up'\n"
)
FLOOR = "[obstacle.deck]\nat = [0, -0.6]\nshape.half_space = 'up'\n"


class Sliding(unittest.TestCase):
    def test_it_stops_after_its_speed_squared_over_twice_what_slows_it(self):
        for motion, rate in (("exact", 60), ("exact", 7), ("exact", 144)):
            for mu in (0.05, 0.3, 1.0):
                drill = made(
                    f"then = 'slide', friction = {mu}", FLOOR, more=f"tick.rate = {rate}\ntick.motion = '{motion}'"
                )
                run, path = path_of(drill)
                touch = said(run, "goes along")[0]
                x0 = path.at(touch)[0][0]
                self.assertAlmostEqual(path.p[-1][0] - x0, 25 / (2 * mu * G), delta=1e-9)
                self.assertAlmostEqual(said(run, "came to rest")[0] - touch, 5 / (mu * G), delta=1e-9)
                self.assertAlmostEqual(path.p[-1][1], -0.5, delta=1e-12)

    def test_down_a_slope_it_gains_what_friction_leaves(self):
        for degrees, mu in ((30, 0.1), (20, 0.0), (45, 0.6)):
            turn = math.radians(degrees)
            bodies = f"[obstacle.slope]\nat = [0, -0.7]\nshape.box = [200, 0.2]\nshape.turned = {-degrees}\n"
            drill = made(f"then = 'slide', friction = {mu}", bodies, launch="launch.speed = 0.5", life=3)
            run, path = path_of(drill)
            start = said(run, "goes along")[0]
            t = np.linspace(start, 2.9, 20)
            p, v = path.at(t)
            p0, v0 = path.at(start)
            gain = G * (math.sin(turn) - mu * math.cos(turn))
            way = np.array([math.cos(turn), -math.sin(turn), 0])
            speed = float(v0 @ way)
            np.testing.assert_allclose(v @ way, speed + gain * (t - start), atol=1e-9)
            np.testing.assert_allclose((p - p0) @ way, speed * (t - start) + gain * (t - start) ** 2 / 2, atol=1e-9)

    def test_over_seams_it_slides_as_if_there_were_none(self):
        for tilt in (0.0, 12.0, -7.0):
            s, c = math.sin(math.radians(tilt)), math.cos(math.radians(tilt))
            spots = [k * 1.3 - 3.0 for k in range(12)]
            boxes = [f"at = [{x * c}, {x * s}], shape = {{ box = [1.3, 0.2], turned = {tilt} }}" for x in spots]
            points = [[x * c, x * s] for x in (-4.0, 0.3, 1.0, 1.01, 4.0, 9.0, 14.0)]
            level = "shape.heights = { values = [0.1, 0.1, 0.1, 0.1, 0.1, 0.1, 0.1, 0.1, 0.1, 0.1], every = 1.5 }"
            grounds = {
                "whole": f"[obstacle.quay]\nshape = {{ box = [60, 0.2], turned = {tilt} }}\n",
                "tiles": "".join(
                    f"[obstacle.tile{k}]\n" + one.replace(", shape", "\nshape") + "\n" for k, one in enumerate(boxes)
                ),
                "parts": f"[obstacle.quay]\nparts = [{', '.join(f'{{ {one} }}' for one in boxes)}]\n",
                "chain": f"[obstacle.quay]\nshape = {{ chain = {points}, thick = 0.2 }}\n",
                **({"heights": f"[obstacle.quay]\nat = [-3, 0]\n{level}\n"} if tilt == 0.0 else {}),
            }  # fmt: skip
            start = f"at = [{-0.5 * s}, {0.5 * c}]"
            launch = f"launch.speed = 6\naim = {{ by = 'fixed', direction = {tilt - 15} }}"
            for bumps in (
                "then = 'slide', friction = 0.3",
                "then = 'bounce', restitution = 0, friction = 0, rests = 'rolls', rolling = 0.3",
            ):
                found = {}
                for name, bodies in grounds.items():
                    answer = f"{bumps}, score = {{ points = 1 }}"
                    run, path = path_of(made(answer, bodies + f"[shooter.keeper]\n{start}\n", launch=launch, life=4))
                    found[name] = path.at(3.9)[0]
                    touched = run.rows("contacts")
                    self.assertEqual(len(touched), len({row["body"] for row in touched}), (tilt, name))
                    np.testing.assert_allclose(found[name], found["whole"], atol=1e-6, err_msg=f"{tilt} {name} {bumps}")
                self.assertGreater(len(run.rows("scores")), 0)

    def test_from_a_ramp_onto_the_flat_it_rolls_on_with_what_is_left_along_it(self):
        for degrees in (5, 20, 40):
            turn, mu = math.radians(degrees), 0.2
            s, c = math.sin(turn), math.cos(turn)
            # A ramp that ends at (0, 0), and the flat from there on; it starts 4 up the ramp, at rest but for 0.2 m/s.
            at = f"at = [{-5 * c - 0.1 * s}, {5 * s - 0.1 * c}]"
            ramp = f"[obstacle.ramp]\n{at}\nshape = {{ box = [10, 0.2], turned = {-degrees} }}\n"
            at = f"at = [{-4 * c + 0.1001 * s}, {4 * s + 0.1001 * c}]"
            keeper = f"[shooter.keeper]\n{at}\nshape.ball = 0.01\nmuzzle.hand.forward = 0\n"
            bodies = ramp + FLOOR.replace("-0.6", "0") + keeper
            bumps = f"then = 'bounce', restitution = 0, friction = 0, rests = 'rolls', rolling = {mu}"
            launch = f"launch.speed = 0.2\naim = {{ by = 'fixed', direction = {-degrees} }}\nmuzzle = 'hand'"
            run, path = path_of(made(bumps, bodies, launch=launch))
            if math.tan(turn) < mu:
                self.assertLess(path.p[-1][0], 0.0)
                continue
            corner = run.rows("contacts")[-1]
            down = 4 - 0.1 * math.tan(turn / 2)
            fast = math.sqrt(0.2**2 + 2 * G * (s - mu * c) * down)
            self.assertAlmostEqual(corner["speed"], fast, delta=1e-3)
            self.assertAlmostEqual(path.p[-1][0] - 0.1 * math.tan(turn / 2), (fast * c) ** 2 / (2 * mu * G), delta=2e-3)
            self.assertAlmostEqual(path.p[-1][1], 0.1, delta=1e-9)

    def test_along_a_wall_that_it_meets_it_rolls_on_and_stops_where_it_meets_it_head_on(self):
        wall = "[obstacle.wall]\nat = [6, 0, 0]\nshape = {{ box = [1, 60, 4], turned = [{}, 0, 0] }}\n"
        for turn in (0, 30, 60):
            bodies = FLOOR.replace("[0, -0.6]", "[0, 0, -0.6]") + wall.format(turn)
            bumps = "then = 'bounce', restitution = 0, friction = 0, rests = 'rolls', rolling = 0.01"
            run, path = path_of(made(bumps, bodies, view="world.view = 'space'", life=8))
            met = next(row for row in run.rows("contacts") if row["body"] == "wall")
            s, c = math.sin(math.radians(turn)), math.cos(math.radians(turn))
            along = np.array([-s, c, 0.0])
            fast = abs(met["speed"] * s)
            gone = path.p[-1] - path.at(met["time"])[0]
            if turn == 0:
                np.testing.assert_allclose(gone, 0.0, atol=1e-9)
                continue
            left = 8.0 - met["time"]
            far = fast * left - 0.5 * 0.01 * G * left**2
            self.assertAlmostEqual(abs(float(gone @ along)), far, delta=1e-6)
            self.assertAlmostEqual(float(np.linalg.norm(gone)), far, delta=1e-6)

    def test_over_a_grid_of_blocks_or_of_heights_in_space_as_over_a_plane(self):
        grid = [k * 1.3 - 4.5 for k in range(9)]
        blocks = (f"[obstacle.b{i}_{j}]\nat = [{x}, {y}, -0.5]\nshape.box = [1.3, 1.3, 1]\n"
                  for i, x in enumerate(grid) for j, y in enumerate(grid))  # fmt: skip
        heights = f"shape.heights = {{ values = {[[0.0] * 12] * 12}, every = 1 }}"
        grounds = {
            "plane": "[obstacle.ground]\nshape.half_space = 'up'\n",
            "blocks": "".join(blocks),
            "heights": f"[obstacle.ground]\nat = [-5, -5, 0]\n{heights}\n",
        }
        keeper = "[shooter.keeper]\nat = [0, 0, 0.8]\n"
        for way in (0, 45, 23, -130, 90):
            launch = f"launch.speed = 5\naim = {{ by = 'fixed', direction = {way}, elevation = -20 }}"
            rolls = "then = 'bounce', restitution = 0, friction = 0.1, rests = 'rolls', rolling = 0.3"
            for bumps in ("then = 'slide', friction = 0.4", rolls):
                ends = {}
                for name, ground in grounds.items():
                    drill = made(bumps, ground + keeper, launch=launch, life=6, view="world.view = 'space'")
                    run, path = path_of(drill)
                    ends[name] = path.p[-1]
                    self.assertEqual(run.rows("projectiles")[0]["ended_by"], "life", (way, name))
                    if name != "blocks":
                        self.assertEqual(len(run.rows("contacts")), 1)
                    np.testing.assert_allclose(ends[name], ends["plane"], atol=1e-6, err_msg=f"{way} {name} {bumps}")

    def test_in_space_it_slides_straight_and_the_same_in_every_direction(self):
        ends = []
        for facing in (0, 37, 90, 200):
            bodies = (
                f"[obstacle.deck]\nat = [0, 0, -0.6]\nshape.half_space = 'up'\n[shooter.keeper]\nfacing = {facing}\n"
            )
            drill = made("then = 'slide', friction = 0.4", bodies, view="world.view = 'space'")
            _, path = path_of(drill)
            turn = math.radians(facing)
            ends.append(
                [path.p[-1] @ [math.cos(turn), math.sin(turn), 0], path.p[-1] @ [-math.sin(turn), math.cos(turn), 0]]
            )
        np.testing.assert_allclose(ends, [ends[0]] * 4, atol=1e-9)

    def test_over_an_edge_it_falls_at_once_or_round_it(self):
        for speed in (3.0, 0.6):
            drill = made(
                "then = 'slide'",
                CRATE.format(0), launch=f"launch.speed = {speed}\nmuzzle = 'hand'",
                         more="[shooter.keeper.muzzle.hand]\nforward = 0.2\nup = -0.399")  # fmt: skip
            run, path = path_of(drill)
            left = said(run, "left")[0]
            p, _ = path.at(left)
            landed = run.rows("contacts")[-1]
            self.assertEqual(landed["body"], "deck")
            if speed == 3.0:
                # v²/r is more than g: it leaves at the edge, and falls as what is thrown.
                self.assertAlmostEqual(p[0], 2.0, delta=1e-4)
                fall = math.sqrt(2 * (5.9 - 0.4 - 0.0) / G)
                self.assertAlmostEqual(landed["time"] - left, fall, delta=1e-3)
            else:
                # It goes round the edge until what presses it on is used up: cos = (v² / r g + 2) / 3.
                angle = math.acos((speed**2 / (0.1 * G) + 2) / 3)
                self.assertAlmostEqual(math.atan2(p[0] - 2.0, p[1] + 0.5), angle, delta=3e-4)
            gaps = [max(abs(x) - 2.0, abs(y + 1) - 0.5) for x, y, _ in path.p]
            self.assertGreater(min(gaps), 0.1 * math.sqrt(0.5) - 1e-6)

    def test_aslant_over_an_edge_it_leaves_when_nothing_presses_it_on_any_more(self):
        # Round the edge: its angle from up, how fast that grows, and how fast it goes along; friction against the way.
        def grows(_, state, friction):
            angle, turns, along = state
            presses = G * math.cos(angle) - 0.1 * turns**2
            speed = math.hypot(0.1 * turns, along)
            return (
                turns,
                (G * math.sin(angle) - friction * presses * 0.1 * turns / speed) / 0.1,
                -friction * presses * along / speed,
            )

        def presses(_, state, friction):
            return G * math.cos(state[0]) - 0.1 * state[1] ** 2

        presses.terminal = True
        for across, along, friction in itertools.product((0.3, 0.6), (0.0, 0.5, 4.0), (0.0, 0.2)):
            edge = 1.0
            aim = f"aim = {{ by = 'fixed', direction = {math.degrees(math.atan2(along, across))} }}"
            drill = made(
                f"then = 'slide', friction = {friction}",
                f"[obstacle.crate]\nat = [0, 0, -1]\nshape.box = [{2 * edge}, 90, 1]\n", view="world.view = 'space'",
                launch=f"launch.speed = {math.hypot(across, along)}\nmuzzle = 'hand'\n{aim}", life=4,
                more="[shooter.keeper.muzzle.hand]\nforward = 0.99\nup = -0.399")  # fmt: skip
            run, path = path_of(drill)
            if not (left := said(run, "left")):
                continue
            k = np.flatnonzero(path.p[:, 0] <= edge + 1e-12)[-1]
            at, v = path.p[k], path.v[k]
            fast, way = math.hypot(v[0], v[1]), (edge - at[0]) / v[0] * math.hypot(v[0], v[1])
            then = math.sqrt(fast**2 - 2 * friction * G * way)
            came = path.t[k] + 2 * way / (fast + then)
            round_it = solve_ivp(grows, (0, 4), (0.0, then * v[0] / fast / 0.1, then * v[1] / fast), args=(friction,),
                                 events=presses, rtol=1e-10, atol=1e-12)  # fmt: skip
            with self.subTest(across=across, along=along, friction=friction):
                self.assertAlmostEqual(left[0] - came, round_it.t[-1], delta=5e-4)
                p, _ = path.at(left[0])
                self.assertAlmostEqual(math.atan2(p[0] - edge, p[2] + 0.5), round_it.y[0, -1], delta=3e-4)

    def test_it_goes_along_with_what_it_lies_on(self):
        bodies = "[obstacle.raft]\nat = [0, -1]\nshape.box = [60, 1]\nmove.velocity = [2, 0.5]\n"
        drill = made("then = 'slide', friction = 0.5", bodies, life=6)
        run, path = path_of(drill)
        rest = said(run, "came to rest")[0]
        times = np.linspace(rest, 6, 30)
        p, v = path.at(times)
        np.testing.assert_allclose(v[1:-1, :2], [[2.0, 0.5]] * 28, atol=1e-9)
        np.testing.assert_allclose(p[:, 1] + 1 - 0.5 * times, 0.6, atol=1e-9)


class Driven(unittest.TestCase):
    """What acts in the air acts along a surface too: by closed forms, by the same scene seen from what moves."""

    def along_wall(self, flight, answer, *, tilt=0.0, motion="exact", drift=(0.0, 0.0), wind=(0.0, 0.0), rate=60):
        """A puck seen from above that meets a long wall below it, all turned by ``tilt`` and moving with ``drift``.

        Returns the run, and the ways along and off the wall, its velocity and when it first goes along it.
        """
        turn = math.radians(tilt)
        way, off = np.array([math.cos(turn), math.sin(turn)]), np.array([-math.sin(turn), math.cos(turn)])
        start = 4.0 * way - 3.0 * off + drift
        bodies = (
            f"[shooter.keeper]\nshape.ball = 0.01\nmuzzle.hand.forward = 0\n[obstacle.wall]\n"
            f"at = {(-1.5 * off).tolist()}\nshape = {{ box = [300, 1], turned = {tilt} }}\n"
            f"move.velocity = {np.array(drift).tolist()}\n"
        )
        launch = (
            f"launch.speed = {np.hypot(*start)}\nmuzzle = 'hand'\n{flight}\n"
            f"aim = {{ by = 'fixed', direction = {math.degrees(math.atan2(start[1], start[0]))} }}"
        )
        view = f"world = {{ view = 'top', wind = {np.array(wind).tolist()} }}"
        view += f"\ntick = {{ motion = '{motion}', rate = {rate} }}"
        run = nivvo.fire(made(answer, bodies, launch=launch, life=4, view=view))
        return run, run.flight("puck-1"), way, off

    def test_drag_slows_it_and_wind_presses_it_on(self):
        for tilt, c, mu, wind, motion in (
            (0.0, 0.5, 0.2, 3.0, "exact"),
            (37.0, 1.5, 0.4, 8.0, "exact"),
            (-110.0, 0.8, 0.0, 5.0, "verlet"),
            (200.0, 0.3, 0.3, 6.0, "semi-implicit"),
        ):
            blows = -wind * np.array([-math.sin(math.radians(tilt)), math.cos(math.radians(tilt))])
            flight = f"flight.drag.linear = {c}"
            answer = f"then = 'slide', friction = {mu}"
            run, path, way, _ = self.along_wall(flight, answer, tilt=tilt, motion=motion, wind=blows)
            (start,) = said(run, "goes along")
            self.assertFalse(said(run, "left"))
            first = np.searchsorted(path.t, start, side="right") - 1
            p0, v0 = path.p[first][:2], path.v[first][:2]
            # It is pressed on by c w, so its speed u along the wall falls by c u + mu c w.
            u0, rest = float(v0 @ way), mu * wind
            stops = math.log(1 + u0 / rest) / c if rest else math.inf
            for k in np.searchsorted(path.t, start + np.array([0.1, 0.5, 1.0, 2.0])):
                after = min(path.t[k] - start, stops)
                gone = (u0 + rest) * (1 - math.exp(-c * after)) / c - rest * after
                np.testing.assert_allclose(
                    path.p[k][:2], p0 + gone * way, atol=3e-6 * max(gone, 1.0), err_msg=f"{tilt}"
                )
                u = (u0 + rest) * math.exp(-c * after) - rest
                self.assertAlmostEqual(float(path.v[k][:2] @ way), u, delta=1e-5)
            self.assertEqual(len(said(run, "came to rest")), int(start + stops < 4.0), tilt)

    def test_down_a_slope_through_the_air_in_every_view(self):
        c, mu = 0.6, 0.2
        for view, degrees, motion in itertools.product(("up", "down", "space"), (0, -15, 10), ("exact", "verlet")):
            turn, sign = math.radians(degrees), -1 if view == "down" else 1
            up = [0] if view == "space" else []
            normal = [-math.sin(turn), *up, sign * math.cos(turn)]
            deck = f"[obstacle.deck]\nat = {[0, *up, -1.0 * sign]}\nshape.half_space = {normal}\n"
            head = f"tick.motion = '{motion}'\nworld.{'view' if up else 'y'} = '{view}'"
            launch = f"launch = {{ speed = 9, elevation = {degrees - 25} }}\nflight.drag.linear = {c}"
            run, path = path_of(made(f"then = 'slide', friction = {mu}", deck, launch=launch, life=2, view=head))
            (start,) = said(run, "goes along")
            first, last = np.searchsorted(path.t, start, side="right") - 1, np.searchsorted(path.t, 0.8)
            u, after, acts = (
                np.linalg.norm(path.v[first]),
                path.t[last] - start,
                -G * (math.sin(turn) + mu * math.cos(turn)),
            )
            gone = (u - acts / c) * (1 - math.exp(-c * after)) / c + acts / c * after
            self.assertAlmostEqual(np.linalg.norm(path.p[last] - path.p[first]), gone, delta=2e-6 * gone, msg=f"{view}")

    def test_along_a_wall_that_comes_nearer_it_is_as_in_wind_toward_a_wall_that_stands(self):
        for seed in range(6):
            rng = np.random.default_rng(seed)
            tilt, fast, c = rng.uniform(0, 360), rng.uniform(0.2, 2), rng.uniform(0.2, 1)
            drift = fast * np.array([-math.sin(math.radians(tilt)), math.cos(math.radians(tilt))])
            answer = ("then = 'slide', friction = 0.3", "then = 'bounce', restitution = 0.4, rests = 'rolls'")[seed % 2]
            flight = f"flight.drag.linear = {c}"
            moved, path, *_ = self.along_wall(flight, answer, tilt=tilt, drift=tuple(drift))
            still, other, *_ = self.along_wall(flight, answer, tilt=tilt, wind=-drift)
            self.assertEqual(
                [row["what"] for row in moved.rows("events")], [row["what"] for row in still.rows("events")]
            )
            for t in (0.5, 1.5, 3.5):
                np.testing.assert_allclose(
                    path.at(t)[0][:2] - drift * t, other.at(t)[0][:2], atol=1e-5, err_msg=f"{seed} {t}"
                )

    def test_who_seeks_slides_along_the_wall_between_and_round_its_end_to_the_target(self):
        for seed in range(8):
            rng = np.random.default_rng(seed)
            tilt, motion = rng.uniform(0, 360), ("exact", "semi-implicit")[seed % 2]
            law = ("turn_rate = 150", "law = 'blend', gain = 6", "law = 'lead', turn_rate = 200")[seed % 3]
            turn = math.radians(tilt)
            way, off = np.array([math.cos(turn), math.sin(turn)]), np.array([-math.sin(turn), math.cos(turn)])
            at = (4 * way - 3 * off).tolist()
            bodies = (
                f"[shooter.keeper]\nshape.ball = 0.01\nmuzzle.hand.forward = 0\n[obstacle.wall]\n"
                f"at = {(-1.5 * off).tolist()}\nshape = {{ box = [4, 1], turned = {tilt} }}\n"
                f"[target.wisp]\nat = {at}\ngroup = 'wisps'\nshape.ball = 0.3\n"
            )
            launch = (
                f"launch.speed = 6\nmuzzle = 'hand'\nflight.homing = {{ group = 'wisps', {law} }}\n"
                f"on.wisps.damage = 1\naim = {{ by = 'fixed', direction = {tilt - 70} }}"
            )
            view = f"world.view = 'top'\ntick.motion = '{motion}'"
            drill = made("then = 'slide'", bodies, launch=launch, life=6, view=view)
            run = nivvo.fire(drill)
            self.assertEqual(run.rows("events")[-1]["detail"], "touched wisp", (seed, run.rows("events")))
            self.assertLess(len(run.rows("contacts")), 6)

    def test_after_a_bounce_or_a_slide_it_sways_on_in_small_steps_as_in_the_exact_one(self):
        for answer in ("then = 'bounce', restitution = 0.5", "then = 'slide'"):
            flight = "flight.sway = { across = 0.4, period = 0.5 }"
            for tilt in (0.0, 50.0):
                _, path, *_ = self.along_wall(flight, answer, tilt=tilt)
                found = []
                for rate in (240, 960):
                    _, other, *_ = self.along_wall(flight, answer, tilt=tilt, motion="verlet", rate=rate)
                    found.append(max(float(np.linalg.norm(path.at(t)[0] - other.at(t)[0])) for t in (0.6, 0.9, 1.2)))
                self.assertLess(found[1], 0.5 * found[0])
                self.assertLess(found[1], 0.03)


class Mines(unittest.TestCase):
    def test_what_sticks_tells_who_comes_near(self):
        # On a post that stands, goes or turns; somebody goes by, as a dense look at both ways tells.
        ways = ("", "move.velocity = [0, -0.2]\n", "turns = 40\n", "turns = -90\nmove.velocity = [0.2, -0.1]\n")
        for way, motion in itertools.product(ways, ("exact", "explicit", "verlet")):
            told = []
            for then in ("then = 'go on', ", ""):
                run = nivvo.fire(nivvo.parse(
                    f"nivvo = 1\nworld.view = 'top'\ntick.motion = '{motion}'\n[ability.mine]\nshape.ball = 0.1\n"
                    "launch.speed = 9\naim = { by = 'fixed', direction = 5 }\non.posts.then = 'lodge'\n"
                    f"limits.life = 9\nwhen.near = {{ within = 0.7, {then}blast = {{ radius = 2, damage = 5 }} }}\n"
                    f"[obstacle.post]\nat = [3, 0.4]\ngroup = 'posts'\nshape.box = [1, 1]\n{way}"
                    "[target.crab]\nat = [9, -3]\nhealth = 20\nshape.ball = 0.4\n"
                    "move.velocity = [-2.1, 0.9]\n[case.a]\nlasts = 4\n"))  # fmt: skip
                rows = [row for row in run.rows("events") if row["body"] == "crab"]
                told.append([row["time"] for row in rows if row["what"] in ("moment", "ended")])
                self.assertEqual(len([row for row in rows if row["what"] == "damage"]), 1)
                if then:
                    times = np.arange(0.5, 4.0, 1e-3)
                    crab = np.array([9.0, -3.0, 0.0]) + times[:, None] * np.array([-2.1, 0.9, 0.0])
                    apart = np.sqrt(((crab - run.flight("mine-1").at(times)[0]) ** 2).sum(axis=1)) - 0.5
            with self.subTest(way=way, motion=motion):
                self.assertEqual(*told)
                self.assertAlmostEqual(told[0][0], times[np.argmax(apart <= 0.7)], delta=3e-3)

    def test_a_button_of_its_own_lets_them_go_off_and_fires_none(self):
        text = (
            "nivvo = 1\nworld.view = 'top'\n[ability.mine]\nshape.ball = 0.1\nlaunch.speed = 9\nlimits.life = 9\n"
            "on.posts.then = 'lodge'\nwhen.again.blast = {{ radius = 2, damage = 1 }}\n"
            "when.again.button = 'let_off'\nwhen.again.of = '{of}'\n"
            "[obstacle.post]\nat = [4, 0]\ngroup = 'posts'\nshape.box = [1, 6]\n"
            "[case.a]\nlasts = 6\ninput = [{rows}]\n"
        )
        taps = [(0.0, "let_off"), *((k, "fire") for k in (0.5, 1.0, 1.5)), (2.0, "let_off"), (3.0, "let_off")]
        rows = ", ".join(f"{{ t = {time}, tap = '{button}' }}" for time, button in taps)
        for of, ends in (("all", {2.0: 3}), ("newest", {2.0: 1, 3.0: 1}), ("oldest", {2.0: 1, 3.0: 1})):
            run = nivvo.fire(drill := nivvo.parse(text.format(of=of, rows=rows)))
            self.assertEqual([row["time"] for row in run.rows("shots")], [0.5, 1.0, 1.5])
            went = [row for row in run.rows("projectiles") if row["ended_by"] == "press"]
            self.assertEqual({time: len([row for row in went if row["ended"] == time]) for time in ends}, ends)
            self.assertEqual(len(went), sum(ends.values()))
            first = {"all": "mine-1", "newest": "mine-3", "oldest": "mine-1"}[of]
            self.assertEqual(min(went, key=lambda row: row["ended"])["projectile"], first)
            live, told = nivvo.Live(drill, "a", compiled=False), []
            while live.time < 4.0:
                for time, button in taps:
                    if abs(time - live.time) < 1e-9:
                        live.tap(button)
                told += [event.time for event in live.step() if event.what == "ended"]
            self.assertEqual(sorted(told), sorted(row["ended"] for row in went))
        with self.assertRaisesRegex(DrillError, "never fires"):
            nivvo.parse(text.format(of="all", rows=rows).replace("of = 'all'", "also_fires = true"))


class Again(unittest.TestCase):
    """What friction holds goes on when what acts on it gets stronger."""

    def test_a_thrust_that_comes_later_drives_it_on_from_where_it_lies(self):
        mu, push, begins, burns = 0.2, 5.0, 6.005, 1.0
        for view, up in (("", 1), ("world.y = 'down'", -1), ("world.view = 'space'", 1)):
            for rate, step in ((30, "exact"), (60, "exact"), (144, "exact"), (60, "semi-implicit")):
                size = 3 if "space" in view else 2
                floor = f"[obstacle.deck]\nshape.half_space = 'up'\nat = {[0.0] * (size - 1) + [-0.6 * up]}\n"
                launch = (
                    f"launch.speed = 6\nflight.thrust = {{ acceleration = {push}, after = {begins}, lasts = {burns}, "
                )
                launch += "along = 'launch' }\nheading = { follows = 'spin', spin = 90 }"
                drill = made(f"then = 'bounce', restitution = 0, rests = 'rolls', rolling = {mu}", floor, launch=launch,
                             view=f"{view}\ntick.rate = {rate}\ntick.motion = '{step}'")  # fmt: skip
                run, path = path_of(drill.with_settings({"case.tap.lasts": 20}))
                stops, goes = said(run, "came to rest"), said(run, "goes along")
                self.assertAlmostEqual(goes[1], begins, delta=1e-9 if step == "exact" else 1 / rate)
                slows = mu * 9.81
                fast = (push - slows) * burns
                self.assertAlmostEqual(stops[1] - goes[1], burns + fast / slows, delta=1e-6)
                points = run.paths[["time", "heading_direction"]].to_numpy().T
                held = (points[0] > stops[0]) & (points[0] < goes[1]) | (points[0] > stops[1])
                turned = np.where(points[0] < goes[1], stops[0], stops[1])
                np.testing.assert_allclose(points[1] % 360, 90 * np.where(held, turned, points[0]) % 360, atol=1e-6)
                self.assertEqual(run.rows("projectiles")[0]["reason"], "still on deck when the case ended")
                there = path.at(np.array([stops[0], stops[1]]))[0]
                way = fast * burns / 2 + fast * fast / (2 * slows)
                self.assertAlmostEqual(np.linalg.norm(there[1] - there[0]), way, delta=1e-5)

    def test_what_is_struck_where_it_lay_is_not_told_to_lie_there(self):
        ram = FLOOR + "[obstacle.ram]\nat = [{}, -0.3]\nshape.box = [0.4, 0.4]\nmove.velocity = [-3, 0]\n"
        for x, says in ((12, "still going along deck"), (40, "still on deck")):
            drill = made("then = 'bounce', restitution = 0.3, rests = 'rolls', rolling = 0.3", ram.format(x))
            run, _ = path_of(drill.with_settings({"case.tap.lasts": 4}))
            self.assertEqual(run.rows("projectiles")[0]["reason"], f"{says} when the case ended")

    def test_what_is_drawn_to_a_body_goes_when_it_finds_it_and_never_where_friction_is_stronger(self):
        for mu, moves in ((0.2, True), (3.0, False)):
            wisp = "[target.wisp]\nat = [30, -0.5]\nshape.ball = 0.3\n" + FLOOR
            launch = "launch.speed = 3\nflight.homing = { law = 'blend', gain = 2, after = 4 }"
            run, path = path_of(made(f"then = 'slide', friction = {mu}", wisp, launch=launch, life=9))
            self.assertEqual(len(said(run, "goes along")) - 1, int(moves))
            self.assertEqual(path.p[-1][0] > 3.0, moves)


class Resting(unittest.TestCase):
    def test_a_ball_in_a_wedge_stays(self):
        for rate in (30, 60, 144):
            for rests in ("stays", "rolls"):
                bodies = "".join(
                    f"[obstacle.{name}]\nat = [{x}, -2]\nshape.box = [6, 0.2]\nshape.turned = {turned}\n"
                    for name, x, turned in (("port", -2.0, -40), ("star", 2.6, 40))
                )
                drill = made(f"then = 'bounce', restitution = 0.5, friction = 0.2, rests = '{rests}'", bodies,
                             launch="launch.speed = 1", more=f"tick.rate = {rate}")  # fmt: skip
                run, path = path_of(drill)
                self.assertEqual(run.rows("projectiles")[0]["ended_by"], "life")
                late = path.p[path.t > 20]
                np.testing.assert_allclose(late, late[:1].repeat(len(late), 0), atol=1e-9)
                self.assertLessEqual(max(row["overlap"] for row in run.rows("contacts")), 1e-9)

    def test_in_a_corner_however_sharp_it_comes_to_rest(self):
        for degrees in (5, 20, 80):
            half = math.radians(degrees / 2)
            # Two walls that meet in (8, 0), and the ball where it touches both.
            s, c = math.sin(half), math.cos(half)
            walls = "".join(
                f"[obstacle.{name}]\nat = [{8 - 6 * c + 0.1 * s}, {way * (6 * s + 0.1 * c)}, 0]\n"
                f"shape = {{ box = [12, 0.2, 4], turned = [{-way * degrees / 2}, 0, 0] }}\n"
                for name, way in (("left", 1), ("right", -1))
            )
            rolls = "then = 'bounce', restitution = 0, friction = 0, rests = 'rolls', rolling = 0.02"
            for bumps in ("then = 'slide', friction = 0.02", rolls):
                for way in (0, 2, -7):
                    launch = f"launch.speed = 6\naim = {{ by = 'fixed', direction = {way} }}"
                    bodies = walls + "[obstacle.ground]\nat = [0, 0, -0.5]\nshape.half_space = 'up'\n"
                    run, path = path_of(made(bumps, bodies, launch=launch, view="world.view = 'space'", life=5))
                    self.assertEqual(run.rows("projectiles")[0]["ended_by"], "life", (degrees, bumps, way))
                    np.testing.assert_allclose(path.p[-1], [8 - 0.1 / s, 0, -0.4], atol=1e-4)

    def test_in_a_games_own_step_it_comes_to_rest_when_it_does_in_the_exact_one(self):
        raft = "[obstacle.raft]\nat = [0, -1]\nshape = {{ box = [90, 1], turned = {} }}\nmove.velocity = [0.3, 0.2]\n"
        for k, (g, back) in enumerate(itertools.product((9.81, 30, 60), (0.3, 0.5, 0.6, 0.7))):
            bodies, times = raft.format(3.0 * (k % 4) - 4), []
            for motion in ("exact", "semi-implicit", "explicit", "verlet"):
                view = f"world.gravity = {g}\ntick.motion = '{motion}'"
                answer = f"then = 'bounce', restitution = {back}, friction = 0.2, rests = 'stays'"
                run = nivvo.fire(made(answer, bodies, view=view, launch="launch = { speed = 5, elevation = 40 }"))
                (rest,) = said(run, "came to rest")
                times.append(rest)
            self.assertLess(max(times[1:]), 1.6 * times[0] + 0.3, (g, back, times))
            self.assertGreater(min(times[1:]), 0.5 * times[0], (g, back, times))

    def test_it_rolls_on_when_it_bounces_no_more(self):
        drill = made("then = 'bounce', restitution = 0.4, rests = 'rolls', rolling = 0.1", FLOOR)
        run, path = path_of(drill)
        begins = said(run, "goes along")[0]
        p, v = path.at(begins)
        self.assertAlmostEqual(v[0], 5.0, places=9)
        self.assertAlmostEqual(path.p[-1][0] - p[0], 25 / (2 * 0.1 * G), delta=1e-8)

    def test_closing_doors_never_let_it_through(self):
        rng = np.random.default_rng(3)
        for _ in range(10):
            speed = rng.uniform(0.2, 3)
            bodies = (
                f"[obstacle.port]\nat = [-3, 0]\nshape.box = [1, 40]\nmove.velocity = [{speed}, 0]\n"
                f"[obstacle.star]\nat = [6, 0]\nshape.box = [1, 40]\nmove.velocity = [{-speed}, 0]\n" + FLOOR
            )
            answer = f"then = 'bounce', restitution = {rng.uniform(0, 1)}, rests = 'rolls'"
            drill = made(answer, bodies, life=round(6 / (2 * speed), 3), launch=f"launch.speed = {rng.uniform(1, 20)}")
            _, path = path_of(drill)
            port, star = -2.5 + speed * path.t, 5.5 - speed * path.t
            self.assertTrue((path.p[:, 0] > port - 1e-6).all() and (path.p[:, 0] < star + 1e-6).all())

    def test_what_lodges_stays_on_what_moves_and_falls_when_that_is_out(self):
        bodies = "[target.wisp]\nat = [6, -0.1]\nshape.ball = 0.5\nhealth = 20\nmove.velocity = [0.5, 0.1]\n" + FLOOR
        text = "then = 'lodge', damage = 12"
        drill = made(text, bodies, life=4).with_settings(
            {
                "ability.puck.flight.gravity_share": 0,
                "case.tap.input": [{"t": 0.0, "tap": "fire"}, {"t": 1.0, "tap": "fire"}],
            }
        )
        run = nivvo.fire(drill)
        paths = [run.flight(name) for name in run.ids.values()]
        first, second = (row["time"] for row in run.rows("contacts")[:2])
        times = np.linspace(first, second - 0.05, 10)
        on = paths[0].at(times)[0][:, :2] - times[:, None] * [0.5, 0.1]
        np.testing.assert_allclose(on, on[:1].repeat(10, 0), atol=1e-9)
        # The second puts it out: what was lodged goes on as it went, and nothing acts.
        after = paths[0].at(np.array([second + 0.1, second + 0.6]))[1]
        np.testing.assert_allclose(after[:, :2], [[0.5, 0.1]] * 2, atol=1e-9)
        self.assertLess(abs(said(run, "left")[0] - second), 1 / 60)
        # Or it ends with it, told by what it stuck in; and what follows its end follows.
        more = {
            "ability.puck.on.anything.body_out": "ends",
            "ability.puck.when.ended.blast": {"radius": 9, "damage": 1},
        }
        run = nivvo.fire(drill.with_settings(more))
        row = run.rows("projectiles")[0]
        self.assertEqual((row["ended_by"], said(run, "left")), ("body out", []))
        self.assertLess(row["ended"] - second, 1 / 60)
        self.assertIn(row["ended"], said(run, "burst"))

    def test_what_makes_no_sense_is_told(self):
        for answer, says in (
            ("then = 'slide', restitution = 0.3", "restitution is for"),
            ("then = 'bounce', restitution = 1.2", "at most 1"),
            ("then = 'bounce', restitution = 0.2, rolling = 1", "rolling goes with"),
            ("then = 'end', rests = 'stays'", "rests is for"),
        ):
            with self.assertRaises(DrillError, msg=answer) as caught:
                made(answer, FLOOR)
            self.assertIn(says, str(caught.exception))


class Scenes(unittest.TestCase):
    def test_in_turned_and_moving_scenes_nothing_sinks_in(self):
        told = 0
        for seed in range(24):
            rng = np.random.default_rng(seed)
            bodies = FLOOR.replace("-0.6", "-7")
            for k in range(6):
                x, y = rng.uniform(2, 6) * rng.choice([-1, 1]), rng.uniform(-6, 5)
                size = rng.uniform(0.4, 4, 2).round(2).tolist()
                bodies += f"[obstacle.o{k}]\nat = [{x:.2f}, {y:.2f}]\nshape.box = {size}\n"
                bodies += f"shape.turned = {rng.uniform(-180, 180):.1f}\n"
                if seed % 2 and rng.uniform() < 0.5:
                    bodies += f"move.velocity = {rng.uniform(-1, 1, 2).round(2).tolist()}\n"
            answer = (
                f"then = 'bounce', restitution = {rng.uniform(0, 0.9):.2f}, friction = 0.2, rests = 'rolls'",
                f"then = 'bounce', restitution = {rng.uniform(0, 0.9):.2f}, rests = 'stays'",
                f"then = 'slide', friction = {rng.uniform(0, 0.4):.2f}",
            )[seed % 3]
            launch = f"launch.speed = {rng.uniform(1, 12):.2f}\nlaunch.elevation = {rng.uniform(-60, 80):.1f}"
            run, path = path_of(made(answer, bodies, launch=launch, life=6))
            told += run.rows("projectiles")[0]["ended_by"] == "too many contacts"
            for number, body in enumerate(run.scene.bodies):
                if run.scene.names[number] == "keeper":
                    continue
                places = np.array([run.stage.motions[number].seen(t)[0] for t in path.t])
                gaps = [distance(body, tuple((p - c).tolist()))[0] for p, c in zip(path.p, places, strict=True)]
                # What it starts in it comes out of.
                if gaps[0] > 0.1:
                    self.assertGreater(min(gaps), 0.1 - 1e-6, seed)
        self.assertLess(told, 3)

    def test_a_moving_wall_pushes_what_lies_before_it(self):
        bodies = FLOOR + "[obstacle.wall]\nat = [-4, 0]\nshape.box = [1, 20]\nmove.velocity = [1, 0]\n"
        drill = made("then = 'slide', friction = 0.3", bodies, launch="launch.speed = 0.5", life=9)
        run, path = path_of(drill)
        self.assertEqual(run.rows("projectiles")[0]["ended_by"], "life")
        edge = -3.5 + path.t
        self.assertTrue((path.p[:, 0] >= edge + 0.1 - 1e-9).all())
        self.assertLess(path.p[-1][0] - edge[-1], 0.2)
