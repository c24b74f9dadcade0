"""Bodies of several shapes: contacts against a slow sampled distance, one health, one of each effect, one way."""

import math
import os
import unittest
from unittest import mock

import numpy as np

import nivvo
from nivvo.errors import DrillError
from nivvo.play.questions.decided import defaults
from tests.core.slow import boxed, first_touch, segment

VIEWS = ("", "world.y = 'down'", "world.view = 'top'", "world.view = 'space'")
CRAB = """[target.crab]
at = [10, 0]
health = 100
parts = [{ shape.box = [1, 1.2], at = [0, 0.6] }, { shape.ball = 0.3, at = [0, 1.5], group = "heads" }]
"""


def made(bodies, ability="", case="input = [{ t = 0, tap = 'fire' }]", shooter="at = [0, 0.5]", world=""):
    return nivvo.parse(
        f"nivvo = 1\n{world}\n[ability.rivet]\nlaunch.speed = 30\nflight.gravity_share = 0\nshape.ball = 0.05\n"
        f"{ability}\n"
        f"[shooter.keeper]\n{shooter}\nshape.ball = 0.2\n{bodies}\n[case.tap]\n{case}\n"
    )


def turned_back(d, axis, angle):
    """Vectors (n, 3) turned about a unit vector by minus an angle (n,)."""
    c, s = np.cos(-angle)[:, None], np.sin(-angle)[:, None]
    return d * c + np.cross(axis, d) * s + axis * (d @ axis)[:, None] * (1 - c)


class Figure:
    """A random body of several shapes that moves and may turn, as a slow model sees it."""

    def __init__(self, seed):
        rng, self.size = np.random.default_rng(seed), 3 if seed % 4 == 3 else 2
        self.turns = round(rng.uniform(-400, 400), 1) if seed % 3 else 0.0
        self.at, self.velocity = ([round(float(x), 2) for x in [first, *rng.uniform(-1, 1, self.size - 1)]]
                                  for first in (rng.uniform(5, 11), rng.uniform(-2, 2)))  # fmt: skip
        axis = rng.normal(size=3)
        self.axis = axis / np.linalg.norm(axis) if self.size == 3 else np.array([0.0, 0.0, 1.0])
        self.parts = []
        for _ in range(int(rng.integers(2, 5))):
            off, sizes = rng.uniform(-1.5, 1.5, self.size).round(2), rng.uniform(0.2, 1.5, 3).round(2)
            self.parts.append((int(rng.integers(3)), off, sizes, round(rng.uniform(0, 180), 1)))

    def text(self, then):
        parts = []
        for kind, off, sizes, turned in self.parts:
            end = sizes[0] * np.array([math.cos(math.radians(turned)), math.sin(math.radians(turned)), 0])[: self.size]
            shape = (
                f"ball = {sizes[0] / 2}",
                f"box = {sizes[: self.size].tolist()}, turned = {[turned, 0, 0] if self.size == 3 else turned}",
                f"capsule = {[(-end).tolist(), end.tolist()]}, radius = {sizes[1] / 2}",
            )[kind]
            parts.append(f"{{ at = {off.tolist()}, shape = {{ {shape} }} }}")
        about = f"turns_about = {self.axis.tolist()}\n" if self.size == 3 and self.turns else ""
        turns = f"turns = {self.turns}\n{about}" if self.turns else ""
        head = f"[target.crab]\nat = {self.at}\nmove.velocity = {self.velocity}\n"
        return f"{head}{turns}parts = [{', '.join(parts)}]\n", f"on.targets.then = '{then}'\n"

    def gap(self, times, p):
        """The least distance of points (n, 3) from any of its shapes at times (n,); 0 inside."""
        place = np.zeros((len(times), 3))
        place[:, : self.size] = np.array(self.at) + np.array(self.velocity) * times[:, None]
        d = turned_back(p - place, self.axis, np.radians(self.turns) * times)
        gaps = []
        for kind, off, sizes, turned in self.parts:
            local = d - [*off, *[0.0] * (3 - self.size)]
            local = turned_back(local, np.array([0.0, 0.0, 1.0]), np.full(len(times), math.radians(turned)))
            if kind == 0:
                gaps.append(np.linalg.norm(local, axis=1) - sizes[0] / 2)
            elif kind == 1:
                half = np.array([sizes[0], sizes[1], sizes[2] if self.size == 3 else 1e9]) / 2
                gaps.append(boxed(local, np.zeros(3), np.eye(3), half))
            else:
                end = np.array([sizes[0], 0, 0])
                gaps.append(segment(local, -end, end) - sizes[1] / 2)
        return np.min(gaps, axis=0)


class Contacts(unittest.TestCase):
    def fly(self, seed, then, modes=("never",)):
        """A shot at a random figure: its rows of contacts, and the slow gap between the two, by time."""
        figure, rng, digests = Figure(seed), np.random.default_rng(1000 + seed), set()
        bodies, ability = figure.text(then)
        ability += f"aim = {{ by = 'fixed', direction = {rng.uniform(-6, 6):.2f} }}\nlimits.life = 2"
        home = f"at = {[0.0] * figure.size}"
        drill = made(bodies, ability, shooter=home, world=VIEWS[seed % 4])
        for mode in modes:
            with mock.patch.dict(os.environ, NIVVO_COMPILE=mode, NIVVO_SLEEP="auto"):
                run = nivvo.fire(drill)
                digests.add(run.digest)
        self.assertEqual(len(digests), 1, seed)
        p, v = run.flight("rivet-1").p[0], run.flight("rivet-1").v[0]
        return run.rows("contacts"), lambda times: figure.gap(times, p + v * times[:, None]) - 0.05

    def test_first_contact_is_where_many_samples_find_it(self):
        hits = 0
        for seed in range(48):
            rows, gap = self.fly(seed, "end", ("never", "always"))
            expected = first_touch(gap, 1.99)
            self.assertEqual(len(rows), expected is not None, seed)
            if rows:
                hits += 1
                self.assertAlmostEqual(rows[0]["time"], expected, delta=1e-6, msg=seed)
        self.assertGreater(hits, 24)

    def test_who_passes_through_several_shapes_touches_the_body_once_each_time_it_comes_in(self):
        twice = 0
        for seed in range(48):
            rows, gap = self.fly(seed, "pass")
            comes, known = [], False
            for k, one in enumerate(gap(np.arange(2 * 18_000) / 18_000)):
                if one <= 0 and not known:
                    comes.append(k / 18_000)
                    known = True
                # Whether it is out again is seen at a tick's end.
                known = known and not (k % 300 == 0 and one > 0)
            self.assertEqual(len(rows), len(comes), seed)
            twice += len(rows) > 1
            for row, time in zip(rows, comes, strict=True):
                self.assertAlmostEqual(row["time"], time, delta=1e-4)
        self.assertGreater(twice, 2)


class OneBody(unittest.TestCase):
    def test_health_is_one_and_each_part_is_answered_by_its_group(self):
        ability = "firing = { kind = 'auto', rate = 5 }\non.heads.damage = 40\non.targets.damage = 10"
        for at, each in ((1.5, 40), (0.5, 10)):
            run = nivvo.fire(made(CRAB, ability, "input = [{ t = 0, press = 'fire' }]\nlasts = 2.5", f"at = [0, {at}]"))
            damages = [row["amount"] for row in run.rows("effects") if row["effect"] == "damage"]
            self.assertEqual(damages, [each] * math.ceil(100 / each))
            (target,) = run.rows("targets")
            self.assertEqual((target["health_left"], target["contacts"]), (0, len(damages)))
            # All of it is out: later shots fly on where the other part was.
            self.assertEqual({row["body"] for row in run.rows("contacts")}, {"crab"})
            self.assertGreater(len(run.fired), len(damages))

    def test_a_blast_and_what_lasts_meet_it_once_by_its_nearest_part(self):
        wall = "[obstacle.wall]\nat = [8, 0]\nshape.box = [0.2, 4]\n"
        blast = "on.obstacles.blast = { radius = 4, damage = 80, falloff = 'linear', shaded = false }"
        run = nivvo.fire(made(CRAB + wall, blast, shooter="at = [0, 1.5]"))
        (row,) = [row for row in run.rows("effects") if row["effect"] == "damage"]
        gap = math.hypot(9.5 - 7.9, 1.5 - 1.2)
        self.assertAlmostEqual(row["amount"], 80 * (1 - min(gap, math.hypot(2.1, 0) - 0.3) / 4), delta=1e-6)
        lasting = "on.{}.lasting = {{ damage = 5, every = 0.1, times = 3 }}"
        ability = "\n".join(lasting.format(group) for group in ("heads", "targets"))
        two = "[shooter.other]\nat = [0, 1.5]\nshape.ball = 0.2\n"
        case = "input = [{ t = 0, tap = 'fire' }, { t = 0, tap = 'fire', shooter = 'other' }]\nlasts = 2"
        run = nivvo.fire(made(CRAB + two, ability, case))
        self.assertEqual(sum(row["amount"] for row in run.rows("effects")), 15)

    def test_it_is_aimed_at_and_followed_by_its_first_part_or_by_one_of_another_group(self):
        for group, height in ((None, 0.6), ("heads", 1.5)):
            aim = "aim.by = 'nearest'" + (f"\naim.group = '{group}'" if group else "")
            run = nivvo.fire(made(CRAB, aim))
            self.assertAlmostEqual(run.fired[0].aim_point[1], height)
            homing = "flight.homing = { turn_rate = 720 }" if group is None else (
                f"flight.homing = {{ turn_rate = 720, group = '{group}' }}")  # fmt: skip
            run = nivvo.fire(made(CRAB, homing, shooter="at = [0, 3]"))
            self.assertEqual(run.rows("contacts")[0]["group"], group or "targets")

    def test_no_default_shape_is_told_of_it(self):
        drill = made(CRAB, shooter="at = [0, 1.5]")
        self.assertNotIn("target.crab.shape", [key for key, _ in defaults(drill, nivvo.fire(drill))])
        told = {one.key: one.value for one in nivvo.explain(drill)}
        self.assertEqual(told["target.crab.shape"], "that of its parts")


class Goes(unittest.TestCase):
    def test_who_chases_keeps_its_parts_together_as_one_of_its_first_part_goes(self):
        keys = "at = [10, 0]\nmove = {{ chase = 'keeper', speed = 3, speeds_up = 5 }}\n"
        case = "input = [{ t = 0, tap = 'fire' }]\nlasts = 3"
        for world in ("", "world.view = 'top'"):
            crab = CRAB.replace("at = [10, 0]\n", keys.format(), 1)
            alone = f"[target.crab]\n{keys.format()}shape.ball = 0.5\n"
            crab = crab.replace("at = [0, 0.6]", "at = [0, 0]")
            many, one = (nivvo.fire(made(text, "", case, world=world)) for text in (crab, alone))
            ways = [many.stage.motions[k] for k in many.scene.whole["crab"]]
            for time in np.linspace(0, 2.9, 41):
                places = [way.seen(time)[0] for way in ways]
                np.testing.assert_allclose(places[1] - places[0], [0, 1.5, 0], atol=1e-12)
                np.testing.assert_allclose(
                    places[0], one.stage.motions[one.scene.number["crab"]].seen(time)[0], atol=1e-9
                )

    def test_a_wave_of_them_comes_whole_one_by_one(self):
        wave = CRAB.replace("health", "wave = { count = 3, every = 0.5, most = 2 }\nhealth")
        run = nivvo.fire(made(wave, "on.targets.damage = 100", "input = [{ t = 1.3, tap = 'fire' }]\nlasts = 3"))
        told = [(row["what"], row["body"]) for row in run.rows("events") if row["what"] in ("arrived", "out")]
        self.assertEqual(told, [("arrived", "crab-2"), ("out", "crab-1"), ("arrived", "crab-3")])
        self.assertEqual(len(run.rows("targets")), 3)

    def test_live_it_is_added_moved_and_taken_away_whole(self):
        live = nivvo.Live(made(CRAB, "on.heads.damage = 40\non.targets.damage = 10"))
        ball = {"shape": {"ball": 0.3}}
        live.add("target", "wisp", at=[5, 0], health=30, parts=[ball, {**ball, "at": [0, 1], "group": "heads"}])
        live.move_body("wisp", [6, -0.5], jump=True)
        np.testing.assert_allclose(live.place("wisp"), [6, -0.5])
        live.press("fire")
        for _ in range(60):
            live.step()
        self.assertEqual(live.health("wisp"), -10)
        live.remove("wisp")
        live.release("fire")
        live.step()
        live.press("fire")
        events = [event for _ in range(60) for event in live.step()]
        self.assertIn("crab", [event.name for event in events])


class Halves(unittest.TestCase):
    def test_a_bar_of_two_halves_that_turns_does_what_one_bar_does(self):
        """Thrown back, carried along, hidden behind and seen live."""
        met = 0
        for view, seed in zip(VIEWS * 3, range(12), strict=True):
            rng, size = np.random.default_rng(seed), 3 if view.endswith("'space'") else 2
            thick, turned, turns = [0.5] * (size - 1), round(rng.uniform(0, 180), 1), round(rng.uniform(-200, 200), 1)
            spin = [turned, 0, 0] if size == 3 else turned
            way = 1.5 * np.array([math.cos(math.radians(turned)), math.sin(math.radians(turned)), 0])[:size]
            half = "{{ at = {}, shape = {{ box = {}, turned = {} }} }}"
            parts = ", ".join(half.format((sign * way).tolist(), [3, *thick], spin) for sign in (1, -1))
            keys = f"[obstacle.bar]\nat = {[7, *[0.3] * (size - 1)]}\nmove.velocity = {[0.5] * size}\nturns = {turns}\n"
            keys += "group = 'bars'\n"
            then = ("bounce', restitution = 0.9 }", "lodge' }")[seed % 2]
            ability = f"on.bars = {{ then = '{then}\non.targets.then = 'end'\nlimits.life = 2\naim.by = 'nearest'\n"
            ability += "aim.in_sight = true\nfiring = { kind = 'auto', rate = 9 }"
            wisp = f"[target.wisp]\nat = {[15, *[0.5] * (size - 1)]}\n"
            case = "input = [{ t = 0, press = 'fire' }]\nlasts = 2"
            runs = [
                nivvo.fire(made(keys + shape + wisp, ability, case, f"at = {[0.0] * size}", view))
                for shape in (f"shape = {{ box = {[6, *thick]}, turned = {spin} }}\n", f"parts = [{parts}]\n")
            ]
            one, two = runs
            self.assertEqual([shot.note for shot in one.fired], [shot.note for shot in two.fired])
            met += any(row["body"] == "bar" for row in one.rows("contacts"))
            for name in one.ids.values():
                a, b = one.flight(name), two.flight(name)
                times = np.linspace(a.t[0], min(a.t[-1], b.t[-1]), 60)
                np.testing.assert_allclose(a.at(times)[0], b.at(times)[0], atol=1e-6, err_msg=str(seed))
        self.assertGreater(met, 6)


class Refused(unittest.TestCase):
    def test_what_cannot_be_is_told(self):
        for line, words in (
            ("shape.ball = 1\nparts = [{ shape.ball = 1 }]", "write shape, or parts"),
            ("parts = []", "at least 1"),
            ("parts = [{ shape.ball = 1, group = 'anything' }]", "reserved word"),
            ("turns = 30\nparts = [{ shape.half_space = 'up' }]", "a half_space"),
            ("parts = [{ shape = { chain = [[0, 0], [1, 1]], thick = 0 } }]", "chain is for an obstacle"),
        ):
            with self.assertRaises(DrillError) as caught:
                made(f"[target.wisp]\nat = [3, 3]\n{line}\n")
            self.assertIn(words, str(caught.exception))


class Told(unittest.TestCase):
    def test_what_is_out_by_whichever_part_has_no_place_any_more(self):
        for parts, other in (("at = [0, 2]", "at = [0, -1]"), ("at = [0, -1]", "at = [0, 2]")):
            text = "nivvo = 1\n[ability.rivet]\nlaunch.speed = 20\nflight.gravity_share = 0\non.anything.damage = 9\n"
            text += "[target.raft]\nat = [9, 1]\nhealth = 5\nmove.velocity = [1, 0]\n"
            text += f"parts = [{{ {parts}, shape.ball = 0.5 }}, {{ {other}, shape.ball = 0.5 }}]\n[case.c]\nlasts = 2\n"
            run = nivvo.fire(nivvo.parse(text))
            (out,) = (row["time"] for row in run.rows("events") if row["what"] == "out")
            times = [row["time"] for row in run.rows("bodies") if row["body"] == "raft"]
            self.assertLess(out - 1 / 60, max(times))
            self.assertLess(max(times), out)
            np.testing.assert_allclose(run.population()[0], [0.0, out], atol=1e-9)


if __name__ == "__main__":
    unittest.main()
