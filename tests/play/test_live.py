"""The live session: the engine of a fired case a tick at a time; snapshots, moved bodies, ids, saved plays."""

import contextlib
import gc
import math
import os
import re
import sys
import tempfile
import tracemalloc
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from unittest import mock

import numpy as np

import nivvo
from nivvo.core.numbers.clock import UNITS
from tests.deep import DEEP
from tests.play.drills import drill
from tests.play.test_anything import Drawn

DEMO = Path(nivvo.__file__).parent / "demo"
RANGE = """nivvo = 1
{world}
[shooter.keeper]
at = [0, 1]
walk.speed = 3
walk.jump = 5
facing_follows = "movement"
[shooter.rival]
at = [30, 1]
facing = "left"
[obstacle.ground]
shape.half_space = "up"
[obstacle.post]
at = [12, 2]
shape.ball = 0.5
move.through = [[12, 2], [12, 6]]
move.speed = 2
move.at_end = "back"
[target.wisp]
at = [20, 3]
group = "wisps"
health = 400
[ability.stream]
firing = {{ kind = "auto", interval = 0.07, button = "stream" }}
launch.speed = {{ by = "random", low = 15, high = 25 }}
launch.elevation = 25
launch.scatter = 3
limits.life = 1.5
on.wisps.damage = 1
[ability.lob]
firing = {{ kind = "charge", full_after = 0.5, button = "lob" }}
launch.speed = {{ by = "held", start = 8, end = 20 }}
launch.elevation = 45
flight.drag.square = 0.01
[case.range]
input = [{rows}]
"""


def acts(seed, seconds=3.0):
    """Random acts of two players: (time, what, value, shooter)."""
    rng = np.random.default_rng(seed)
    out, down = [], {}
    for t in np.sort(rng.uniform(0, seconds, 30)):
        shooter = str(rng.choice(["keeper", "rival"]))
        if rng.uniform() < 0.3:
            out.append((float(t), "walk", [float(rng.uniform(-1, 1)), 0.0], "keeper"))
            continue
        button = str(rng.choice(["stream", "lob", "jump"]))
        what = "release" if down.get((shooter, button)) else "press"
        down[shooter, button] = what == "press"
        out.append((float(t), what, button, shooter))
    for (shooter, button), held in down.items():
        if held:
            out.append((seconds, "release", button, shooter))
    return out


def written(rows):
    words = []
    for t, what, value, shooter in rows:
        value = f'"{value}"' if isinstance(value, str) else value
        words.append(f'{{ t = {t!r}, {what} = {value}, shooter = "{shooter}" }}')
    return ", ".join(words)


def do(live, row):
    t, what, value, shooter = row
    name = what if what in ("press", "release") else f"set_{what}"
    getattr(live, name)(*([value] if isinstance(value, str) else value), shooter=shooter, at=t)


class SameEngine(unittest.TestCase):
    def test_a_case_fired_is_the_session_fed_by_its_track(self):
        for seed in range(3):
            for world in ("", 'tick = { motion = "semi-implicit", input = "at ticks", first_move = "next tick" }'):
                rows = acts(seed)
                made = nivvo.parse(RANGE.format(world=world, rows=written(rows)))
                run = nivvo.fire(made, keep="contacts")
                live, found, waiting = nivvo.Live(made, compiled=False), [], list(rows)
                while waiting or live.in_the_air or live.time < 4.5:
                    end = live.time + 1 / 60
                    while waiting and waiting[0][0] < end:
                        do(live, waiting.pop(0))
                    found += [e for e in live.step() if e.what in ("fired", "contact", "damage", "ended")]
                shots = [(e.time, e.ability, e.name) for e in found if e.what == "fired"]
                self.assertEqual(shots, [(r["time"], r["ability"], r["shooter"]) for r in run.rows("shots")])
                touches = sorted((e.time, e.name, live.name_of(e.id)) for e in found if e.what == "contact")
                expected = sorted((r["time"], r["body"], r["projectile"]) for r in run.rows("contacts"))
                self.assertEqual(touches, expected)
                self.assertGreater(len(shots), 3)

    def test_bodies_go_and_shooters_face_as_the_case_has_it(self):
        rows = acts(3)
        run = nivvo.fire(nivvo.parse(RANGE.format(world="", rows=written(rows))))
        live, known = nivvo.Live(nivvo.parse(RANGE.format(world="", rows="")), compiled=False), {}
        table = {(row["body"], round(row["time"] * 60)): row for row in run.rows("bodies")}
        for tick in range(120):
            for name in ("keeper", "rival", "post"):
                row = known[name] = table.get((name, tick), known.get(name))
                np.testing.assert_allclose(live.place(name), [row["x"], row["y"]], atol=1e-9)
                if name != "post":
                    self.assertEqual(live.facing(name), row["facing"])
                if name == "post":
                    np.testing.assert_allclose(live.velocity(name), [row["vx"], row["vy"]], atol=1e-9)
            for row in rows:
                if live.time <= row[0] < live.time + 1 / 60 - 1e-9:
                    do(live, row)
            live.step()
        live = nivvo.Live(nivvo.parse(RANGE.format(world="", rows="")), compiled=False)
        live.set_walk(-1.0, shooter="keeper")
        for tick in range(40):
            # He falls half a unit first.
            falls = -9.81 * tick / 60 if tick < 19 else 0.0
            if tick != 19:
                np.testing.assert_allclose(live.velocity("keeper"), [-3.0 if tick else 0.0, falls], atol=1e-9)
            live.step()

    def test_what_was_played_is_saved_and_fires_the_same(self):
        with tempfile.TemporaryDirectory() as folder:
            rows = acts(11)
            live = nivvo.Live(nivvo.parse(RANGE.format(world="", rows="")), compiled=False)
            shots = []
            for row in rows:
                while live.time + 1 / 60 <= row[0]:
                    shots += [e for e in live.step() if e.what == "fired"]
                do(live, row)
            for _ in range(240):
                shots += [e for e in live.step() if e.what == "fired"]
            path = live.save(Path(folder) / "played.toml")
            run = nivvo.fire(nivvo.load(path), "played")
            self.assertEqual([e.time for e in shots], [row["time"] for row in run.rows("shots")])
            with self.assertRaisesRegex(nivvo.OutputError, "cannot be written"):
                live.save(path / "where.toml")


class Threads(unittest.TestCase):
    def test_sessions_in_threads_at_once_come_to_what_each_does_alone(self):
        made = nivvo.parse(
            "nivvo = 1\n[ability.lob]\naim.by = 'cursor'\nlaunch = { arc = 'low', speed = 24 }\n"
            "flight = { drag.linear = 0.3, thrust = { acceleration = 3, along = 'velocity', lasts = 0.4 } }\n"
            "on.anything = { then = 'bounce', restitution = 0.6 }\n[obstacle.quay]\nat = [0, -1]\n"
            "shape.half_space = 'up'\n[case.lobs]\ninput = [{ t = 0, cursor = [20, 1] }]\n"
        )

        def play(k):
            live = nivvo.Live(made)
            for turn in range(60):
                live.set_cursor(10 + 0.13 * turn + 0.01 * k, 1.0)
                live.tap("fire")
                live.step()
            return live.digest

        alone, switches = [play(k) for k in range(4)], sys.getswitchinterval()
        sys.setswitchinterval(1e-5)
        self.addCleanup(sys.setswitchinterval, switches)
        with ThreadPoolExecutor(4) as threads:
            for _ in range(3):
                self.assertEqual(list(threads.map(play, range(4))), alone)


class Back(unittest.TestCase):
    def test_from_a_snapshot_the_same_bytes_follow(self):
        made = nivvo.parse(RANGE.format(world="", rows=""))
        rng, times, sessions = np.random.default_rng(4), 0, 10 if DEEP else 3
        with mock.patch.dict(os.environ, {"NIVVO_COMPILE": "always"}):
            for seed in range(sessions):
                live = nivvo.Live(made)
                rows = acts(seed, 12.0)

                def play(ticks, live=live, rows=rows):
                    out = []
                    for _ in range(ticks):
                        now = live.time
                        for row in rows:
                            if now <= row[0] < now + 1 / 60:
                                do(live, row)
                        out.append(live.step(0.02 if live.tick % 7 == 0 else None))
                    return live.digest, repr(out)

                for _ in range(100):
                    play(int(rng.integers(1, 6)))
                    there = live.snapshot()
                    ticks = 60 if times % 25 == 0 else 5
                    first = play(ticks)
                    live.restore(there)
                    self.assertEqual(play(ticks), first)
                    live.restore(there)
                    times += 1
        self.assertEqual(times, 100 * sessions)

    def test_what_ended_or_was_played_after_a_snapshot_has_not_happened(self):
        live = nivvo.Live(drill(), compiled=False)
        live.tap("fire")
        live.step()
        id_, there = int(live.ids[0]), live.snapshot()
        while live.in_the_air:
            live.step()
        live.tap("fire")
        self.assertIn("touched", live.state_of(id_))
        live.restore(there)
        self.assertEqual(live.state_of(id_), "in the air")
        live.end(id_)
        live.step()
        self.assertIn("ended by the game", live.state_of(id_))

    def test_one_goes_to_and_fro_between_snapshots_of_one_way_and_another(self):
        rng, live, known = np.random.default_rng(3), nivvo.Live(drill(), compiled=False), []
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

        def all_of_it(seen):
            live.save(folder / "play.toml")
            ends = {}
            for id_ in seen:
                with contextlib.suppress(nivvo.CallError):
                    ends[id_] = live.state_of(id_)
            return live.digest, (folder / "play.toml").read_text(), ends

        seen = set()
        for _ in range(60):
            for _ in range(int(rng.integers(1, 90))):
                if rng.uniform() < 0.05:
                    live.tap("fire")
                live.step()
                seen |= {int(one) for one in live.ids}
            known.append((live.snapshot(), *all_of_it(sorted(seen)), sorted(seen)))
            if rng.uniform() < 0.5:
                there, digest, text, ends, then = known[int(rng.integers(len(known)))]
                live.restore(there)
                self.assertEqual(all_of_it(then), (digest, text, ends))
        self.assertGreater(len(seen), 20)


class Bodies(unittest.TestCase):
    def gate(self):
        text = "[obstacle.gate]\nat = [9, 40]\nshape.box = [0.1, 8]\n"
        made = drill(ability="flight.gravity_share = 0\nlimits.life = 3", text=text)
        return nivvo.Live(made.with_settings({"ability.flare.launch.elevation": 0.0}), compiled=False)

    def test_a_moved_body_is_swept_and_a_jump_is_not(self):
        for jump, expected in ((False, True), (True, False)):
            live = self.gate()
            live.tap("fire")
            for _ in range(20):
                live.step()
            # From ahead of the shot to behind it, in one tick.
            live.move_body("gate", [9, 1], jump=True)
            live.step()
            x = live.positions[0, 0]
            live.move_body("gate", [x - 2.0, 1], jump=jump)
            events = live.step()
            self.assertEqual(any(e.what in ("contact", "overlap") and e.name == "gate" for e in events), expected)
            np.testing.assert_allclose(live.place("gate"), [x - 2.0, 1], atol=1e-9)

    def test_bodies_come_and_go(self):
        live = self.gate()
        live.add("target", "gull", at=[6, 1], shape={"ball": 0.4}, health=5, group="wisps")
        live.tap("fire")
        names = [e.name for _ in range(60) for e in live.step() if e.what == "contact"]
        self.assertEqual(names, ["gull"])
        live.remove("gull")
        live.tap("fire")
        names = [e.name for _ in range(120) for e in live.step() if e.what == "contact"]
        self.assertEqual(names, ["wisp"] if names else [])
        live.add("obstacle", "crate", at=[4, 1], shape={"box": [1, 1]})
        live.tap("fire")
        names = [e.name for _ in range(60) for e in live.step() if e.what == "contact"]
        self.assertEqual(names, ["crate"])
        with self.assertRaisesRegex(nivvo.CallError, "crate already"):
            live.add("obstacle", "crate", at=[4, 1], shape={"ball": 1})
        with self.assertRaisesRegex(nivvo.CallError, "shape"):
            live.add("obstacle", "cake", at=[4, 1], shape={"bal": 1})
        with self.assertRaisesRegex(nivvo.CallError, "no body"):
            live.place("gull")
        # The same name again, at once: the place of the one before is taken only after a tick.
        live.remove("crate")
        live.add("obstacle", "crate", at=[5, 1], shape={"ball": 0.5})
        live.tap("fire")
        names = [e.name for _ in range(60) for e in live.step() if e.what == "contact"]
        self.assertEqual(names, ["crate"])
        np.testing.assert_allclose(live.place("crate"), [5, 1])

    def test_what_is_taken_away_neither_comes_nor_goes_later_nor_is_of_a_wave(self):
        text = (
            "nivvo = 1\ntick.rate = 10\nworld.gravity = 0\n[ability.a]\nlaunch.speed = 20\n"
            "[target.late]\nat = [5, 1]\narrives = 0.5\n[target.goer]\nat = [5, 3]\nleaves = 0.9\n"
            "[target.sail]\nat = [0, 10]\nshape.polygon = [[0, 0], [4, 0], [0, 4]]\n"
            "[target.squad]\nat = [8, 4]\nwave = { count = 3, every = 0.3, most = 1 }\n"
        )
        live, told = nivvo.Live(nivvo.parse(text)), []
        for name in ("late", "goer", "sail"):
            live.remove(name)
        for tick in range(14):
            told += live.step()
            if tick == 2:
                # They have the numbers of those who were taken away.
                for name in "xyz":
                    live.add("target", name, at=[1, 1])
                live.add("target", "beside", move={"beside": "z", "offset": [0, 2]})
            if tick == 4:
                np.testing.assert_allclose(live.place("beside"), [1, 3])
                for k in (1, 2, 3):
                    live.remove(f"squad-{k}")
        self.assertEqual([(e.what, e.name) for e in told if e.name in ("late", "goer", *"xyz")], [])
        self.assertEqual([(e.what, e.name) for e in told if e.what == "wave cleared"], [("wave cleared", "squad")])
        self.assertEqual([live.health(name) for name in "xyz"], [math.inf] * 3)


class Names(unittest.TestCase):
    def test_old_names_answer_with_the_new(self):
        live = nivvo.Live(drill(), compiled=False)
        for old, new in (("cursor", "Live.set_cursor"), ("move", "Live.set_walk"), ("count", "Live.in_the_air")):
            with self.assertRaisesRegex(AttributeError, new):
                getattr(live, old)
        for old, new in (("drill", "from_tables"), ("holds", "hold_table"), ("cheaper", "plain_preview")):
            with self.assertRaisesRegex(AttributeError, new):
                getattr(nivvo, old)


class Ids(unittest.TestCase):
    def test_views_hold_no_copies_and_a_stale_id_tells_how_it_ended(self):
        live = nivvo.Live(drill(), compiled=False)
        live.tap("fire", at=0.004)
        live.step()
        self.assertEqual(live.positions.shape, (1, 2))
        self.assertFalse(live.positions.flags.owndata)
        id_ = int(live.ids[0])
        self.assertEqual((live.name_of(id_), live.state_of(id_)), ("flare-1", "in the air"))
        while live.in_the_air:
            live.step()
        self.assertIn("touched", live.state_of(id_))
        with self.assertRaisesRegex(nivvo.CallError, "flare-1 is not in the air: touched"):
            live.end(id_)
        live.tap("fire")
        live.step()
        live.end(int(live.ids[0]))
        ended = [e for e in live.step() if e.what == "ended"]
        self.assertIn("ended by the game", ended[0].detail)
        with self.assertRaisesRegex(nivvo.CallError, "no id"):
            live.name_of(1 << 60)

    def test_wrong_calls_are_told(self):
        live = nivvo.Live(drill(), compiled=False)
        for call, words in (
            (lambda: live.press("fir"), "did you mean fire"),
            (lambda: live.press("fire", shooter="keepr"), "keeper"),
            (lambda: live.set_cursor(1, float("nan")), "finite"),
            (lambda: live.set_stick(2, 0), "from -1 to 1"),
            (lambda: live.step(0.0), "from 1e-05 to 10 s"),
            (lambda: live.press("fire", at=-1.0), "not -1"),
            (lambda: live.press("fire", at=float("nan")), "not nan"),
            (lambda: live.press("fire", at=1e30), "not 1e"),
            (lambda: live.preview("flare", held=-1.0), "held"),
            (lambda: live.preview("flare", every=0.0), "every"),
            (lambda: live.preview("flar"), "flare"),
            (lambda: live.add("bird", "gull", at=[1, 1]), "kind"),
        ):
            with self.assertRaisesRegex(nivvo.CallError, words):
                call()

    def test_where_one_points_or_looks_is_numbers_or_one_list_of_them(self):
        text = "nivvo = 1\nworld.view = '{}'\n[ability.flare]\naim.by = '{}'\n"
        text += "launch.speed = 10\nflight.gravity_share = 0\n"
        looks = (("side", "cursor", "set_cursor", [4.0, -3.0], [0.8, -0.6]),
                 ("space", "cursor", "set_cursor", [0.0, 3.0, 4.0], [0, 0.6, 0.8]),
                 ("top", "sight", "set_look", [30.0], [3**0.5 / 2, 0.5]),
                 ("space", "sight", "set_look", [90.0, 60.0], [0, 0.5, 3**0.5 / 2]))  # fmt: skip
        for view, by, call, given, way in looks:
            for numbers in (given, [given]):
                live = nivvo.Live(nivvo.parse(text.format(view, by)))
                getattr(live, call)(*numbers, shooter="keeper")
                live.tap("fire")
                live.step()
                np.testing.assert_allclose(live.velocities[0], 10.0 * np.array(way), atol=1e-9, err_msg=f"{view} {by}")

    def test_a_preview_shows_what_then_happens_and_disturbs_nothing(self):
        made = nivvo.parse(RANGE.format(world="", rows=""))
        live = nivvo.Live(made, compiled=False)
        live.press("stream", "keeper")
        for _ in range(30):
            live.step()
        before = live.digest
        live.set_walk(1.0, shooter="keeper")
        dots = live.preview("lob", "rival", held=0.5)
        self.assertEqual(live.digest, before)
        live.press("lob", "rival", at=live.time - 0.0)
        live.step()
        self.assertEqual(live.state("lob", "rival"), "charging")
        self.assertGreater(len(dots.points), 20)
        self.assertIsNotNone(dots.landing)


class Ahead(unittest.TestCase):
    def test_what_is_shown_of_the_coming_shot_is_what_is_fired_whatever_was_done_for_its_tick(self):
        seen = 0
        for seed in range(120) if DEEP else (1, 12, 31, 67):
            drawn = Drawn(seed)
            text = re.sub(r"firing = \{[^}]*button = 'rivet' \}", "firing.button = 'rivet'", drawn.bare())
            live, rng = nivvo.Live(nivvo.parse(text), compiled=False), np.random.default_rng(seed)
            for tick in range(40):
                for _, call, given in (act for act in drawn.acts if act[0] == tick):
                    if call not in ("press", "release"):
                        getattr(live, call)(*given)
                if rng.integers(3):
                    live.step()
                    continue
                before = live.digest
                (at, way), dots = live.muzzle("rivet"), live.preview("rivet", count=2).points
                self.assertEqual(live.digest, before)
                self.assertAlmostEqual(float(np.hypot.reduce(way)), 1.0)
                live.tap("rivet")
                for fired in [e for e in live.step() if e.what == "fired" and e.ability == "rivet"][:1]:
                    np.testing.assert_allclose(at, fired.point, atol=1e-9, err_msg=f"{seed} {tick}")
                    np.testing.assert_allclose(dots[0], fired.point, atol=1e-9, err_msg=f"{seed} {tick}")
                    seen += 1
        self.assertGreater(seen, 30)

    def test_while_it_charges_the_arc_is_that_of_a_release_now(self):
        text = (
            "nivvo = 1\n[ability.lob]\nfiring = { kind = 'charge', full_after = 0.5, min_hold = 0.1, "
            "under_min_hold = 'nothing' }\nlaunch.speed = { by = 'held', start = 5, end = 15, over = 0.5 }\n"
            "launch.elevation = 40\nlimits.life = 4\n[obstacle.deck]\nat = [0, -1]\nshape.half_space = 'up'\n"
        )
        for ticks in (0, 3, 8, 20, 40):
            live = nivvo.Live(nivvo.parse(text), compiled=False)
            live.press("fire", at=0.004)
            for _ in range(ticks + 1):
                live.step()
            shown = live.preview("lob")
            live.release("fire")
            fired = [event for event in live.step() if event.what == "fired"]
            self.assertEqual(len(fired), ticks >= 8, shown)
            self.assertEqual(len(shown.points) > 0, ticks >= 8, shown)
            for _ in fired:
                landed = next(e for _ in range(200) for e in live.step() if e.what == "contact")
                # A touch is told where the middle is then, a landing on the deck below.
                np.testing.assert_allclose(shown.landing.point, landed.point - np.array([0, 0.1]), atol=1e-9)
                alone = nivvo.preview(nivvo.parse(text), held=min((ticks + 1) / 60 - 0.004, 0.5))
                np.testing.assert_allclose(alone.landing.point, shown.landing.point, atol=1e-9)
        self.assertGreater(len(live.preview("lob", held=0.3).points), 0)
        two = "[shooter.keeper]\n[shooter.rival]\nat = [9, 1]\n[ability.lob]\nshooter = 'keeper'"
        other = nivvo.Live(nivvo.parse(text.replace("[ability.lob]", two)), compiled=False)
        self.assertEqual(other.preview("lob", "rival").reason, "refused: too short a hold")


class Long(unittest.TestCase):
    def test_minutes_of_play_keep_no_memory(self):
        # One at 60 Hz, or ten where properties are run long.
        ticks = 36_000 if DEEP else 2_400
        made = nivvo.parse(RANGE.format(world="", rows=""))
        with mock.patch.dict(os.environ, {"NIVVO_COMPILE": "always"}):
            live = nivvo.Live(made)
            rng, sizes = np.random.default_rng(1), []
            tracemalloc.start()
            for tick in range(ticks):
                if tick % 20 == 0:
                    live.set_walk(float(rng.uniform(-1, 1)), shooter="keeper")
                if tick % 40 in (0, 25):
                    getattr(live, "press" if tick % 40 == 0 else "release")("lob", "rival")
                    getattr(live, "press" if tick % 40 == 0 else "release")("stream", "keeper")
                live.step()
                live.clear_inputs()
                if tick in (ticks // 3, ticks - 1):
                    gc.collect()
                    sizes.append(tracemalloc.get_traced_memory()[0])
            tracemalloc.stop()
        # What ended is remembered, up to a bound; nothing else may grow.
        self.assertLess(sizes[1] - sizes[0], 4_000_000 * ticks / 7_200)

    def test_of_shots_that_might_have_sent_others_nothing_is_kept(self):
        live = nivvo.Live(nivvo.parse(
            "nivvo = 1\nworld.view = 'top'\n[ability.mine]\nfiring = { kind = 'auto', rate = 60, button = 'fire' }\n"
            "launch = { speed = 30, count = 40, fan = 30 }\nwhen.age = { at = 2, sends.ability = 'chip' }\n"
            "[ability.chip]\nfiring.button = 'chip'\nlaunch.speed = 3\n"
            "[obstacle.wall]\nat = [1.5, 0]\nshape.box = [1, 9]\n[case.a]\n"))  # fmt: skip
        live.press("fire")
        sizes = []
        for tick in range(375):
            live.step()
            if tick in (98, 374):
                sizes.append(len(live.snapshot().state.state))
        self.assertLess(sizes[1], 1.5 * sizes[0])


class Uneven(unittest.TestCase):
    """Ticks as long as they come: timers are the game's own loop, asked tick by tick."""

    def loop(self, rule, interval, dts, real):
        """When the textbook timer of a game fires a held stream: at the start of which ticks."""
        fired, now, edge = [0.0], real(0.0), 0.0
        goal, left, total = real(now + real(interval)), real(interval), real(0.0)
        for dt in dts:
            edge, now = edge + dt, real(now + real(dt))
            left, total = real(left - real(dt)), real(total + real(dt))
            if rule == "re-armed" and now >= goal:
                fired.append(edge)
                goal = real(now + real(interval))
            elif rule == "counting down" and left <= 0:
                fired.append(edge)
                left = real(interval)
            elif rule == "accumulating":
                while total >= real(interval):
                    fired.append(edge)
                    total = real(total - real(interval))
        return fired

    def test_streams_leave_at_ticks_starts_as_the_games_timer_says(self):
        rng = np.random.default_rng(6)
        for rule in ("re-armed", "counting down", "accumulating"):
            for bits, real in ((64, np.float64), (32, np.float32)):
                interval = float(rng.uniform(0.03, 0.2))
                dts = [round(float(x), 6) for x in rng.uniform(0.004, 0.06, 300)]
                live = nivvo.Live(
                    nivvo.parse(
                        f'nivvo = 1\n[tick]\ninput = "at ticks"\ntimer = "{rule}"\ntimer_bits = {bits}\n[ability.a]\n'
                        f'launch.speed = 9\nlimits.life = 0.1\nfiring = {{ kind = "auto", interval = {interval!r} }}\n'
                        "[case.c]\ninput = []\n"
                    ),
                    compiled=False,
                )
                live.press("fire")
                times = [event.time for dt in dts for event in live.step(dt) if event.what == "fired"]
                expected = [time for time in self.loop(rule, interval, dts, real) if time < sum(dts) - 1e-9]
                self.assertEqual(len(times), len(expected), (rule, bits))
                np.testing.assert_allclose(times, expected, atol=1e-9)

    def test_a_cooldown_that_runs_through_uneven_ticks_is_not_beaten_and_not_outstayed(self):
        live = nivvo.Live(
            nivvo.parse(
                'nivvo = 1\n[tick]\ninput = "at ticks"\ntimer = "counting down"\n[ability.a]\nlaunch.speed = 9\n'
                "firing.cooldown = 0.1\nlimits.life = 0.1\n[case.c]\ninput = []\n"
            ),
            compiled=False,
        )
        fired = []
        for dt in (0.016, 0.05, 0.001, 0.03, 0.02, 0.09, 0.011, 0.016):
            live.tap("fire")
            fired += [round(event.time, 6) for event in live.step(dt) if event.what == "fired"]
        # 0.1 - 0.016 - 0.05 - 0.001 - 0.03 = 0.003: over after the fifth tick, at 0.117; then at 0.218.
        self.assertEqual(fired, [0.0, 0.117, 0.218])

    def test_ticks_that_come_as_long_as_the_frames_of_a_drill_are_those_frames(self):
        rng, played = np.random.default_rng(8), 0
        for seed in range(300 if DEEP else 12):
            drawn = Drawn(seed)
            text = drawn.bare()
            frames = rng.choice(rng.uniform((0.004, 0.02, 0.05), (0.02, 0.05, 0.15)).round(4), 5).tolist()
            if "'lead'" in text and "motion = 'exact'" not in text:
                # A game's own steps are led by those that are to come: of a game they are not known.
                continue
            ticks = (f"tick.frames = {frames}", f"tick.rate = {len(frames) / sum(frames)!r}")
            told = []
            for way, rule in enumerate(ticks):
                live, mine = nivvo.Live(nivvo.parse(text.replace(f"tick.rate = {drawn.rate}", rule))), []
                for tick in range(50):
                    for _, call, given in (act for act in drawn.acts if act[0] * 60 // drawn.rate // 3 == tick):
                        getattr(live, call)(*given)
                    mine += live.step(frames[tick % 5] if way else None)
                told.append([(one.what, one.time, one.id, one.name) for one in mine])
            self.assertEqual(*told, seed)
            played += 1
        self.assertGreater(played, 8)

    def test_however_long_a_tick_lasts_who_walks_and_what_falls_comes_to_a_stop_where_it_should(self):
        walls = "[obstacle.floor]\nshape.half_space = 'up'\n[obstacle.wall]\nat = [5, 0]\nshape.box = [1, 9]\n"
        crate = "[obstacle.crate]\nat = [-3, 2]\nshape.box = [1, 1]\nmass = 3\n"
        for frames in ([0.25], [1 / 60, 0.1, 0.03], [0.004, 0.3]):
            live = nivvo.Live(drill(shooter="at = [0, 0.5]\nwalk.speed = 6", text=walls + crate, case="input = []"))
            live.set_walk(1.0)
            for tick in range(60):
                live.step(frames[tick % len(frames)])
                self.assertLessEqual(live.place("keeper")[0], 4.0 + 1e-9)
                self.assertGreaterEqual(live.place("crate")[1], 0.5 - 1e-6)
            np.testing.assert_allclose([*live.place("keeper"), live.place("crate")[1]], [4.0, 0.5, 0.5], atol=1e-6)

    def test_snapshots_take_running_timers_along(self):
        live = nivvo.Live(
            nivvo.parse(
                'nivvo = 1\n[tick]\ninput = "at ticks"\ntimer = "re-armed"\ntimer_bits = 32\n'
                "[ability.a]\nlaunch.speed = 9\n"
                'limits.life = 0.1\nfiring = { kind = "auto", rate = 9 }\n[case.c]\ninput = []\n'
            ),
            compiled=False,
        )
        live.press("fire")
        dts = [0.01 + 0.003 * (k % 7) for k in range(60)]
        for dt in dts[:23]:
            live.step(dt)
        back = live.snapshot()
        ways = []
        for _ in range(2):
            ways.append([(event.time, event.what, event.id) for dt in dts[23:] for event in live.step(dt)])
            live.restore(back)
        self.assertEqual(ways[0], ways[1])


class Placed(unittest.TestCase):
    def test_a_walker_falls_from_where_it_is_put_onto_what_is_below(self):
        live = nivvo.Live(
            drill(shooter="at = [0, 5]\nwalk.speed = 3", text='[obstacle.floor]\nshape.half_space = "up"\n',
                  case="input = []"), compiled=False)  # fmt: skip
        for height in (1.0, 9.0):
            live.move_body("keeper", [2.0, height], jump=True)
            live.step()
            fell = [live.place("keeper")[1] for _ in range(100) if live.step() is not None]
            # A tick it was put, then it falls.
            np.testing.assert_allclose(
                fell[:9], [max(height - 4.905 * (k / 60) ** 2, 0.5) for k in range(1, 10)], atol=0.1
            )
            self.assertAlmostEqual(fell[-1], 0.5, delta=1e-7)

    def test_a_walker_stands_where_it_is_put_where_there_is_nothing_below(self):
        live = nivvo.Live(
            nivvo.parse("nivvo = 1\n[shooter.keeper]\nat = [0, 5]\nwalk = { speed = 3, jump = 4 }\n"
                        "[ability.flare]\nlaunch.speed = 5\n[case.tap]\n"), compiled=False)  # fmt: skip
        for height in (1.0, 9.0, 5.0):
            live.move_body("keeper", [2.0, height], jump=True)
            live.step()
            live.set_walk(1.0)
            for _ in range(30):
                live.step()
            live.set_walk(0.0)
            live.step()
            self.assertAlmostEqual(live.place("keeper")[1], height, delta=1e-12)
            self.assertAlmostEqual(live.place("keeper")[0], 3.5, delta=1e-9)
            live.press("jump")
            for _ in range(90):
                live.step()
            live.release("jump")
            self.assertAlmostEqual(live.place("keeper")[1], height, delta=1e-12)

    def test_what_is_added_where_a_chaser_was_taken_away_stands_and_an_added_chaser_chases(self):
        made = nivvo.parse("nivvo = 1\nworld.view = 'top'\n[ability.flare]\nlaunch.speed = 3\n"
                           "[target.gull]\nat = [9, 0]\nmove = { chase = 'keeper', speed = 2 }\n"
                           "[target.tern]\nat = [0, 9]\nmove = { chase = 'gull', speed = 1 }\n"
                           "[case.tap]\n")  # fmt: skip
        live = nivvo.Live(made, compiled=False)
        live.step()
        live.remove("gull")
        for _ in range(3):
            live.step()
        stood = live.place("tern")
        live.add("target", "post", at=[5, 5])
        live.add("target", "skua", at=[-6, 0], move={"chase": "keeper", "speed": 2})
        for _ in range(60):
            live.step()
        bodies, number = live._session.arena.bodies, live._session.stage.number
        np.testing.assert_allclose(bodies["c0"][number["post"]], [5, 5, 0])
        np.testing.assert_allclose(live.place("skua"), [-4, 0], atol=0.05)
        # Whom it was after is gone, and who took its number is somebody else.
        np.testing.assert_allclose(live.place("tern"), stood)

    def test_a_wall_that_is_added_stops_a_walker_also_where_it_is_the_first(self):
        made = nivvo.parse("nivvo = 1\n[shooter.keeper]\nat = [0, 5]\nwalk.speed = 2\n"
                           "[ability.flare]\nlaunch.speed = 3\n[case.tap]\n")  # fmt: skip
        live = nivvo.Live(made, compiled=False)
        live.set_walk(1.0)
        for _ in range(60):
            live.step()
        live.add("obstacle", "wall", group="shooters", at=[4, 5], shape={"box": [1, 4]})
        for _ in range(120):
            live.step()
        np.testing.assert_allclose(live.place("keeper"), [3, 5], atol=1e-6)

    def test_a_floor_that_is_added_bears_a_walker_below_whom_there_was_nothing(self):
        made = nivvo.parse("nivvo = 1\n[shooter.keeper]\nat = [0, 5]\nwalk.speed = 2\n"
                           "[obstacle.post]\nat = [9, 5]\nshape.ball = 1\n"
                           "[ability.flare]\nlaunch.speed = 3\n[case.tap]\n")  # fmt: skip
        live = nivvo.Live(made, compiled=False)
        for _ in range(60):
            live.step()
        np.testing.assert_allclose(live.place("keeper"), [0, 5], atol=1e-9)
        live.add("obstacle", "quay", group="shooters", at=[0, 0], shape={"box": [4, 2]})
        for _ in range(90):
            live.step()
        np.testing.assert_allclose(live.place("keeper"), [0, 1.5], atol=1e-6)

    def test_near_any_target_is_near_one_that_was_added_and_no_obstacle_of_its_group(self):
        made = nivvo.parse("nivvo = 1\n[ability.flare]\nlaunch.speed = 9\nflight.gravity_share = 0\n"
                           "when.near.within = 0.5\non.crates.then = 'pass'\n[target.far]\nat = [-99, 0]\n"
                           "[obstacle.post]\nat = [3, 0.9]\nshape.ball = 0.5\ngroup = 'crates'\n"
                           "[case.tap]\n")  # fmt: skip
        live = nivvo.Live(made, compiled=False)
        live.add("target", "crate", at=[6, 0.9], shape={"ball": 0.5}, group="crates")
        live.tap("fire")
        ended = [one for _ in range(90) for one in live.step() if one.what == "ended"]
        self.assertEqual([one.detail for one in ended], ["came near crate"])

    def test_a_body_that_a_game_moves_at_each_tick_is_as_one_that_moves_by_itself(self):
        """It pushes who walks and what has a mass, touches a shooter, and is led, in the tick in which it moves."""
        text = ("nivvo = 1\nworld.view = 'top'\ntick.rate = 20\ntick.first_move = 'next tick'\n"
                "[shooter.keeper]\nshape.ball = 0.4\nhealth = 50\nwalk.speed = 1\n"
                "[ability.flare]\naim.by = 'lead'\naim.group = 'gulls'\nlaunch.speed = 16\n"
                "muzzle_blocked = 'fire anyway'\n"
                "[target.gull]\nat = [3, -1]\nshape.ball = 0.3\ngroup = 'gulls'\n{gull}\n"
                "[target.skua]\nat = [-9, 0]\nshape.ball = 0.2\non_shooter.damage = 4\n{skua}\n"
                "[obstacle.crate]\nat = [-1, -2]\nshape.ball = 0.4\nmass = 2\n"
                "[obstacle.barge]\nat = [-4, -2]\nshape = {{ box = [1, 6], turned = 9 }}\n{barge}\n"
                "[case.c]\n")  # fmt: skip
        ways, told = {"gull": (1.0, 1.3), "skua": (170.0, 0.0), "barge": (3.0, 0.2)}, []
        for driven in (False, True):
            keys = {name: "" if driven else f"move.velocity = {[*way]}" for name, way in ways.items()}
            live, mine = nivvo.Live(nivvo.parse(text.format(**keys)), compiled=False), []
            start = {name: live.place(name) for name in ways}
            for tick in range(40):
                for name, way in ways.items() if driven else ():
                    live.move_body(name, (start[name] + np.multiply(way, (tick + 1) / 20)).tolist())
                if tick == 3:
                    live.tap("fire")
                    live.set_walk(-1.0, 0.2)
                mine += [(one.what, round(one.time, 6), one.name, one.detail) for one in live.step()]
                mine.append([live.place(name).round(6).tolist() for name in ("keeper", "crate")])
            told.append(mine)
        self.assertEqual(*told)
        words = [one[0] for one in told[0]]
        self.assertIn("touched a shooter", words)
        self.assertIn("contact", words)
        self.assertGreater(told[0][-1][1][0], 0.0)

    def test_a_crate_that_a_game_moves_at_each_tick_pushes_one_that_lies(self):
        crates = "".join(f"[obstacle.{name}]\nat = [{x}, 0.5]\nshape.box = [1, 1]\nmass = 2\n"
                         for name, x in (("pot", 3), ("keg", 5)))  # fmt: skip
        live = nivvo.Live(
            drill(text=crates + "[obstacle.quay]\nshape.half_space = 'up'\n", case="input = []"), compiled=False
        )
        for _ in range(90):
            live.step()
        for tick in range(120):
            live.move_body("pot", [3.0 + 3.0 * (tick + 1) / 120, 0.5])
            live.step()
            self.assertGreater(live.place("keg")[0] - live.place("pot")[0], 1.0 - 1e-6)
        self.assertGreater(live.place("keg")[0], 6.9)

    def test_a_preview_among_bodies_that_stand_is_the_one_that_a_case_has(self):
        """Who chase, turn, go to and fro and are adrift: all as they are then, and never again."""
        rng, landed, apart = np.random.default_rng(8), 0, 0
        for number in range(24):
            view = ("view = 'top'", "y = 'up'\ngravity = 0", "y = 'down'\ngravity = 0")[number % 3]
            text = f"nivvo = 1\n[world]\n{view}\n[shooter.keeper]\nwalk.speed = 3\n[ability.rivet]\nlaunch.speed = 9\n"
            text += "aim.by = 'cursor'\nlimits.life = 1.5\n"
            ways = ("move = { chase = 'keeper', speed = 2 }", "turns = 90\nshape.box = [0.3, 3]",
                    "move.velocity = [-1, 1]", "move = { drift = [[2, -4], [7, 4]], speed = 3 }",
                    "move = { through = [[1, 4], [6, 1]], speed = 4, at_end = 'around' }",
                    "move.circle = { centre = [4, 0], turn_rate = 60 }")  # fmt: skip
            for k, way in enumerate(rng.permutation(ways)):
                text += f"[target.b{k}]\nat = {rng.uniform((2, -4), (7, 4)).tolist()}\n{way}\n"
            cursor, walk, ticks = (
                rng.uniform((3, -3), (8, 3)).tolist(),
                rng.uniform(-0.7, 0.7),
                int(rng.integers(20, 90)),
            )
            drill = nivvo.parse(f"{text}[case.c]\ninput = [{{ t = 0, cursor = {cursor}, walk = [{walk}, 0] }}]\n")
            live = nivvo.Live(drill, compiled=False)
            live.set_cursor(*cursor), live.set_walk(walk, 0.0)
            for _ in range(ticks):
                live.step()
            before, shown = live.digest, live.preview("rivet", bodies="still")
            there = nivvo.preview(drill, at=ticks / 60, bodies="still")
            np.testing.assert_array_equal(shown.points, there.points)
            self.assertEqual((shown.reason, shown.bodies, live.digest), (there.reason, "still", before))
            landed += shown.landing is not None
            apart += shown.reason != live.preview("rivet").reason
        self.assertGreater(min(landed, apart), 4)
        with self.assertRaisesRegex(nivvo.CallError, "moving.*still"):
            live.preview("rivet", bodies="stil")

    def test_what_a_game_moves_is_there_at_the_tick_s_end_however_long_that_lasts(self):
        """And goes there evenly: what it meets on the way it meets where a line between the two places is."""
        rng = np.random.default_rng(4)
        for way in ("", "move.velocity = [1, 0]\n", "mass = 3\n", "parts = [{ shape.ball = 0.5 }]\n"):
            shape = "" if "parts" in way else "shape.ball = 0.5\n"
            text = f"[obstacle.raft]\nat = [6, 3]\n{shape}{way}"
            live = nivvo.Live(drill(text=text, world="gravity = 0", case="input = []"), compiled=False)
            here, met = live.place("raft"), []
            for tick in range(60):
                dt, there = float(rng.uniform(0.004, 0.06)), rng.uniform((2, 1), (7, 4))
                live.tap("fire")
                live.move_body("raft", there)
                start = live.time
                for event in live.step(dt):
                    if event.what == "contact" and event.name == "raft":
                        middle = here + (event.time - start) / dt * (there - here)
                        self.assertAlmostEqual(float(np.hypot(*(event.point - middle))), 0.6, delta=1e-6)
                        met.append(event)
                here = live.place("raft")
                np.testing.assert_allclose(here, there, atol=1e-9, err_msg=f"{way} {tick}")
            self.assertGreater(len(met), 3, way)

    def test_what_a_drill_was_changed_by_is_saved_with_what_was_played(self):
        text = "[case.fast]\nset = { 'ability.flare.launch.speed' = 25, 'tick.rate' = 30 }\ninput = []\n"
        changed = {"ability.flare.launch.elevation": 55.0, "tick.rate": 20, "case.fast.lasts": 3}
        live = nivvo.Live(drill(text=text).with_settings(changed), "fast", compiled=False)
        live.step()
        live.tap("fire")
        told = [one for _ in range(20) for one in live.step()]
        with tempfile.TemporaryDirectory() as folder:
            run = nivvo.fire(nivvo.load(live.save(Path(folder) / "a.toml")), "played")
        self.assertAlmostEqual(nivvo.measure(run, "launch_speed")[0], 25.0)
        self.assertAlmostEqual(nivvo.measure(run, "launch_elevation")[0], 55.0)
        self.assertEqual([one.time for one in told if one.what == "fired"], [0.05])
        self.assertEqual([row["time"] for row in run.rows("shots")], [0.05])

    def test_what_a_saved_play_leaves_out_is_told(self):
        text = "[obstacle.raft]\nat = [3, 3]\nshape.ball = 0.5\n"
        text += "[obstacle.crate]\nat = [4, 9]\nshape.ball = 1\narrives = 40\n"
        live = nivvo.Live(drill(text=text, case="input = []"))
        gull = {"group": "wisps", "at": [9, 9], "shape": {"ball": 0.5}}
        with tempfile.TemporaryDirectory() as folder:
            for dt in (1 / 60, 0.03):
                live.step(dt)
            live.move_body("raft", [3, 4])
            live.add("target", "gull", **gull)
            live.step(0.05)
            live.move_body("gull", [9, 8])
            live.step()
            live.remove("gull")
            for tick in range(900):
                # So many moves stand in a file beside it.
                if tick < 220:
                    live.move_body("raft", [3, 4 + 0.001 * tick])
                live.step()
            live.remove("raft")
            with self.assertNoLogs("nivvo"):
                run = nivvo.fire(nivvo.load(live.save(Path(folder) / "a.toml")), "played")
            self.assertTrue((Path(folder) / "a.played.csv").exists())
            for wrong in (Path("/"), Path(), Path(folder)):
                with self.assertRaisesRegex(nivvo.OutputError, "folder"):
                    live.save(wrong)
            self.assertFalse(Path(".played.csv").exists() or Path(f"{folder}.played.csv").exists())
            # It lasts as long as it was played.
            self.assertAlmostEqual(run.until / UNITS, live.time)
            place = run.stage.motions[run.stage.number["raft"]].seen(live.time - 1e-9)[0]
            np.testing.assert_allclose(place[:2], [3, 4.219], atol=1e-9)
            live.add("target", "gull", **gull)
            live.remove("crate")
            live.add("target", "tern", **gull)
            live.remove("tern")
            live.tap("fire")
            live.step()
            live.end(int(live.ids[0]))
            with self.assertLogs("nivvo") as told:
                live.save(Path(folder) / "b.toml")
            self.assertIn("played", nivvo.load(Path(folder) / "b.toml").cases)
            live.clear_inputs()
            with self.assertLogs("nivvo") as cleared:
                live.save(Path(folder) / "c.toml")
        self.assertIn("before its inputs were cleared", cleared.output[0])
        for words in (
            "tern, which was gone at once",
            "gull, which was added again",
            "taking away crate",
            "the end of flare-1",
        ):
            self.assertIn(words, told.output[0])

    def test_a_play_of_frames_of_any_length_is_saved_with_them_and_with_what_the_game_did_to_bodies(self):
        happens = ("fired", "sent", "contact", "overlap", "damage", "bounced", "out", "ended")
        for seed in range(60) if DEEP else (0, 1, 57):
            drawn, rng = Drawn(seed), np.random.default_rng(seed)
            if "'lead'" in (text := drawn.bare()):
                continue
            # Half of the games see at the next tick what is done within one.
            timer = ("exact", "re-armed", "accumulating", "counting down")[seed % 4]
            rules = f"tick.input = 'at ticks'\ntick.timer = '{timer}'\ntick.motion" if seed // 2 % 2 else "tick.motion"
            live = nivvo.Live(nivvo.parse(text.replace("tick.motion", rules)), compiled=False)
            frames = np.where(
                np.arange(drawn.ticks) < 9 * (seed % 2), 1 / drawn.rate, rng.uniform(4e-3, 0.05, drawn.ticks)
            )
            within = np.where(rng.integers(2, size=drawn.ticks), rng.uniform(0.0, 1.0, drawn.ticks), 0.0)
            # One goes by the game at every tick for a while, some are put elsewhere, all else goes as it goes.
            bodies = [name for name in live.drill.of_case().obstacle if seed % 3]
            moves = {}
            for tick in range(2, drawn.ticks) if bodies else ():
                if tick % 7 == 3 or drawn.ticks // 3 < tick < drawn.ticks // 2:
                    near = [2.0 * math.sin(0.1 * tick + k) + 3.0 for k in range(drawn.size)]
                    moves[tick] = (bodies[tick % 7 == 3 and tick % len(bodies)], near), {"jump": not rng.integers(4)}
            # Others come on ways of their own, and one of them and one that was there are taken away.
            ways = ({"through": [[0.0] * drawn.size], "speed": 3, "at_end": "back"},
                    {"velocity": [-2.0] * drawn.size}, {"circle": {"centre": [1.0] * drawn.size, "turn_rate": 90}},
                    {"timed": [[0, *[4.0] * drawn.size], [1, *[-4.0] * drawn.size]]}, None)  # fmt: skip
            comes = {
                int(tick): (
                    ("obstacle", "target")[k % 2], f"n{k}",
                    {"at": [4.0] * drawn.size, "group": "abc"[k % 3], "shape": {"ball": float(rng.uniform(0.3, 1))},
                     **({"move": ways[way]} if ways[way] else {"mass": 2})},
                )
                for k, (tick, way) in enumerate(rng.integers(0, (drawn.ticks, 5), (3, 2)))
            }  # fmt: skip
            goes = [name for name in live.drill.of_case().target if live.drill.of_case().target[name].wave is None][:1]
            goes += [name for tick, (_, name, _) in comes.items() if tick < 0.6 * drawn.ticks][:1]
            goes = goes if seed % 2 else []

            def played(
                first, last, live=live, drawn=drawn, frames=frames, moves=moves, within=within, comes=comes, goes=goes
            ):
                out = []
                for tick in range(first, last):
                    if tick in comes:
                        kind, name, keys = comes[tick]
                        live.add(kind, name, **keys)
                    for name in goes if tick == int(0.7 * drawn.ticks) else ():
                        live.remove(name)
                    if tick in moves:
                        live.move_body(*moves[tick][0], **moves[tick][1])
                    for _, call, given in (act for act in drawn.acts if act[0] == tick):
                        getattr(live, call)(*given, at=live.time + float(within[tick] * frames[tick]))
                    out += [(one.time, one.what) for one in live.step(float(frames[tick])) if one.what in happens]
                return out

            half = drawn.ticks // 2
            told = played(0, half)
            there = live.snapshot()
            played(half, half + 5)
            live.restore(there)
            told += played(half, drawn.ticks)
            with tempfile.TemporaryDirectory() as folder, self.assertNoLogs("nivvo"):
                live.save(Path(folder) / "a.toml", "again")
                run = nivvo.fire(nivvo.load(Path(folder) / "a.toml"), "again", patient=True)
            rows = [(row["time"], row["what"]) for row in run.rows("events") if row["what"] in happens]
            near = live.time - 1e-9
            told, rows = (sorted(row for row in of if row[0] < near) for of in (told, rows))
            with self.subTest(seed):
                self.assertEqual([what for _, what in told], [what for _, what in rows])
                np.testing.assert_allclose([time for time, _ in told], [time for time, _ in rows], atol=1e-9)

    def test_of_frames_before_inputs_were_cleared_their_sum_is_kept(self):
        live = nivvo.Live(drill(case="input = []"), compiled=False)
        for _ in range(700):
            live.step(0.0311)
        live.clear_inputs()
        live.press("fire", at=live.time + 0.002)
        fired = [one.time for _ in range(40) for one in live.step(0.0123) if one.what == "fired"]
        with tempfile.TemporaryDirectory() as folder:
            made = nivvo.load(live.save(Path(folder) / "a.toml", "again"))
            self.assertEqual([shot["time"] for shot in nivvo.fire(made, "again").rows("shots")], fired)
            frames = made.of_case("again").tick.frames
            self.assertAlmostEqual(sum(frames), live.time, delta=1e-9)
            self.assertEqual(len(frames), 3 + 40)
            # Whoever asks for a rate gets it: what is set takes the place of what was written before.
            self.assertIsNone(made.with_settings({"tick.rate": 30}).of_case("again").tick.frames)

    def test_a_body_on_its_way_stays_where_the_game_puts_it(self):
        made = drill(text="[obstacle.raft]\nat = [3, 3]\nshape.ball = 0.5\nmove.through = [[3, 3], [9, 3]]\n"
                     'move.speed = 2\nmove.at_end = "back"\n', case="input = []")  # fmt: skip
        live = nivvo.Live(made, compiled=False)
        for _ in range(20):
            live.step()
        live.move_body("raft", [5.0, 8.0])
        for _ in range(300):
            live.step()
        np.testing.assert_allclose(live.place("raft"), [5.0, 8.0], atol=1e-12)
