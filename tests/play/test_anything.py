"""Random drills of nearly everything at once: by whatever road one comes to what happens, it is the same.

Fired compiled, uncompiled, with nobody asleep; what moves looked at one by one or all at once; with the tables of the
file in another order; played live; kept and restored.
"""

import math
import os
import re
import unittest
from unittest import mock

import numpy as np

import nivvo
from nivvo.core.numbers.clock import UNITS
from nivvo.play.outcome.run import TABLES
from nivvo.record.vocabulary import HAPPENINGS
from tests.deep import DEEP

VIEWS = ("world.y = 'up'", "world.y = 'down'", "world.view = 'top'", "world.view = 'space'")
RULES = ("", "", "tick.contacts = 'at ticks'", "tick.first_move = 'next tick'")
FIRINGS = (
    "kind = 'auto', rate = 7", "kind = 'auto', rate = 30", "kind = 'single', cooldown = 0.2, wind_up = 0.1",
    "kind = 'burst', shots = 3, interval = 0.07", "kind = 'charge', full_after = 0.3, at_full = 'let go'",
    "kind = 'single', cancelled_by_damage = true, locks_movement = true, recovery = 0.1",
)  # fmt: skip
LIMITS = ("life = 2", "life = 1, in_the_air = 3, when_full = 'end oldest'", "life = 3, reach = 12")
LAUNCHES = (
    "speed = {}",
    "speed = {}, count = 4, fan = 40",
    "speed = {}, scatter = 4",
    "speed = {}, ring = 9, count = 3",
)
FLIGHTS = (
    "drag.linear = 0.3", "drag.square = 0.02", "homing.turn_rate = 150", "homing = { law = 'blend', gain = 3 }",
    "homing = { toward = 'shooter', turn_rate = 300, after = 0.3 }", "sway = { across = 0.6, period = 0.4 }",
    "orbit = { radius = 2, turn_rate = 200, lasts = 0.5 }",
    "thrust = { acceleration = 6, along = 'heading', after = 0.1 }",
    "homing = { law = 'lead', turn_rate = 90, choice = 'spread out', when_lost = 'look again' }", "gravity_share = 0.3",
)  # fmt: skip
THENS = (
    "'end'", "'pass'", "'bounce', restitution = 0.7", "'slide', friction = 0.2", "'pass', pierces = 2",
    "'lodge', within = 40, otherwise = 'bounce', restitution = 0.5", "'bounce', restitution = 0.4, rests = 'rolls'",
)  # fmt: skip
BLINKS = ("blink.within = 2", "blink = { within = 2, lasts = 0.2 }", "blink = { within = 2, speed = 9 }")
EFFECTS = (
    "blast = { radius = 2, damage = 8, impulse = 2, shaded = true }", "score = { points = 3, streak_within = 0.4 }",
    "lasting = { damage = 2, every = 0.09, times = 3 }",
    "sends = { ability = 'chip', along = 'nearest', damage = 'shared', each_once = true }",
    "pull.speed = 5", "removes = true", BLINKS[0],
)  # fmt: skip
MOMENTS = (
    "age = { at = 0.4, then = 'go on', sends.ability = 'chip' }", "fired.blast = { radius = 1, damage = 2 }",
    "near = { within = 0.6, blast = { radius = 2, damage = 4 } }",
    "ended.sends = { ability = 'chip', along = 'nearest', group = 'b' }",
)  # fmt: skip
WAYS = (
    "move.velocity = {a}", "move = {{ through = [{a}, {b}], speed = 3, at_end = 'back' }}", "turns = 120",
    "move = {{ chase = 'keeper', speed = 3 }}", "move = {{ flee = 'keeper', speed = 2 }}", "mass = 2\nfriction = 0.3",
    "move = {{ circle = {{ centre = {a}, turn_rate = 80 }}, speeds_up = 4 }}",
    "move = {{ drift = [{low}, {high}], speed = 2 }}", "", "", "turns = -200\nturns_speeds_up = 150",
    "move = {{ through = [{a}, {b}], speed = 4, at_end = 'around', speeds_up = 3 }}",
)  # fmt: skip


class Drawn:
    """A drill, its tables and its inputs: (tick, call of Live, values), for so many ticks."""

    def __init__(self, seed):
        self.seed, self.rng = seed, (rng := np.random.default_rng(seed))
        view, self.rate = VIEWS[seed % 4], int(rng.choice([8, 20, 60]))
        # In a calm one nobody has to be looked after at each tick.
        self.calm = seed % 3 == 2
        knocks = [] if self.calm else ["knock.impulse = 2"]
        turns = ", turn_rate = 150" if seed % 7 == 3 else ""
        self.size, flat = 3 if seed % 4 == 3 else 2, seed % 4 == 2
        motion = rng.choice(["exact", "exact", "semi-implicit", "explicit", "verlet"])
        self.tables = [
            f"nivvo = 1\n{view}\ntick.rate = {self.rate}\ntick.motion = '{motion}'\n{self.one(RULES)}",
            "[shooter.keeper]\nhealth = 60\nshape.ball = 0.4\nwalk = { speed = 3, acceleration = 20"
            + (" }" if flat else ", jump = 4 }"),
            "\n".join(
                [
                    f"[ability.rivet]\nfiring = {{ {self.one(FIRINGS)}, button = 'rivet' }}",
                    f"limits = {{ {self.one(LIMITS)} }}\nmass = 0.4\nshape.ball = 0.15",
                    f"aim = {{ by = '{self.one(('cursor', 'nearest', 'lead', 'facing'))}'{turns} }}",
                    f"launch = {{ {self.one(LAUNCHES).format(rng.uniform(6, 25))} }}",
                    f"flight.{self.one(FLIGHTS[:-1] if flat else FLIGHTS)}",
                    f"on.a = {{ {self.answer(*knocks)} }}\non.b = {{ {self.answer()} }}",
                    f"on.c = {{ {self.answer()}, anchor = {{ pairs_with = 'chip', opens = 1.5 }} }}",
                    *(f"when.{one}" for one in MOMENTS if not rng.integers(6)),
                    *(["heading = { follows = 'spin', spin = 400 }"] if not rng.integers(3) else []),
                ]
            ),
            "[ability.chip]\nfiring.button = 'chip'\nlaunch = { speed = 8, count = 2, fan = 30 }\nlimits.life = 0.6\n"
            "on.a = { damage = 3, anchor = { pairs_with = 'rivet', opens = 1.5 } }",
            *(self.body(k) for k in range(int(rng.integers(4, 9)))),
        ]
        self.ticks, self.acts = round(2.5 * self.rate), [(0, "set_cursor", (self.place(-4, 9),))]
        for k in range(4):
            start, button = round((0.05 + 0.6 * k) * self.rate), self.one(("rivet", "rivet", "chip"))
            self.acts += [
                (start, "press", (button,)),
                (start + 1 + round(rng.uniform(0, 0.4) * self.rate), "release", (button,)),
            ]
            walk = rng.uniform(-0.7, 0.7, 2) * (1, flat)
            self.acts.append((start + 3, "set_walk", tuple(walk.tolist())))
            self.acts.append((start + 3, "set_cursor", (self.place(-5, 9),)))
        self.acts.sort(key=lambda act: act[0])

    def one(self, of):
        return of[int(self.rng.integers(len(of)))]

    def place(self, low, high):
        return self.rng.uniform(low, high, self.size).round(3).tolist()

    def answer(self, *more):
        effects = [one for one in EFFECTS if not self.rng.integers(5)]
        effects = [*(self.one(BLINKS) if one is BLINKS[0] else one for one in effects), *more]
        return ", ".join([f"damage = {self.rng.uniform(0, 20)}, then = {self.one(THENS)}", *effects])

    def body(self, k):
        rng, at, kind = self.rng, self.place(-7, 9), ("target", "obstacle")[k % 2]
        at[0] += 4 if math.hypot(at[0], at[1]) < 2.5 else 0
        turned = [rng.uniform(0, 180), rng.uniform(-40, 40), 0] if self.size == 3 else rng.uniform(0, 180)
        ends = self.place(0.2, 1)
        shapes = (f"shape.ball = {rng.uniform(0.3, 1)}",
                  f"shape = {{ box = {rng.uniform(0.4, 2.5, self.size).tolist()}, turned = {turned} }}",
                  f"shape = {{ capsule = [{ends}, {[-x for x in ends]}], radius = 0.2 }}",
                  f"parts = [{{ shape.ball = 0.5 }}, {{ at = {[0.7] * self.size}, shape.ball = 0.3 }}]")  # fmt: skip
        places = {"a": self.place(-2, 2), "b": self.place(-5, 5), "low": self.place(-6, 0), "high": self.place(1, 6)}
        # One of the first group has a mass.
        way = (WAYS[5] if k == 3 else self.one(WAYS)).format(**places)
        if self.calm and not way.startswith("move.velocity") and "drift" not in way:
            way = ""
        shape = self.one(shapes)
        lines = [f"[{kind}.b{k}]\nat = {at}\ngroup = '{'abc'[k % 3]}'\n{shape}"]
        if kind == "target":
            lines.append(f"health = {rng.uniform(10, 60)}")
            if "chase" in way:
                lines.append("on_shooter = { damage = 4, every = 0.3 }")
            if not rng.integers(4) and way.startswith("move.velocity"):
                lines.append(f"wave = {{ count = 4, every = 0.3, places = [{self.place(-8, 8)}], most = 2 }}")
        elif "chase" in way or "flee" in way:
            way = ""
        comes = np.random.default_rng((self.seed, k))
        if self.seed % 7 in (2, 4, 5) and "wave" not in lines[-1]:
            lines += [("arrives = 0.7", "leaves = 1.1", "arrives = 0.3\nleaves = 1.6", "", "")[comes.integers(5)]]
        return "\n".join([*lines, way])

    def drill(self, order=None):
        head = [self.tables[0], *(self.tables[1:] if order is None else [self.tables[1:][k] for k in order])]
        words = {"set_cursor": "cursor", "set_walk": "walk"}
        rows = [
            f"{{ t = {tick / self.rate!r}, {words.get(call, call)} = {given[0] if len(given) == 1 else [*given]!r} }}"
            for tick, call, given in self.acts
        ]
        return "\n".join(head) + f"\n[case.c]\nlasts = {self.ticks / self.rate!r}\ninput = [{', '.join(rows)}]"

    def bare(self):
        """The drill without what is played in it, for a live session."""
        text = self.drill()
        return text[: text.index("[case.c]")] + f"[case.c]\ninput = [{{ t = 0, cursor = {[1.0] * self.size} }}]\n"

    def played(self, live, first, last):
        """What a live session tells of some ticks."""
        told = []
        for tick in range(first, last):
            for _, call, given in (act for act in self.acts if act[0] == tick):
                getattr(live, call)(*given)
            if tick % 9 == 4:
                live.preview("rivet")
            told += live.step()
        return told


def fired(text, **environment):
    with mock.patch.dict(os.environ, {"NIVVO_COMPILE": "always"} | environment):
        return nivvo.fire(nivvo.parse(text))


class Roads(unittest.TestCase):
    def test_all_come_to_the_same(self):
        # In the last somebody is put out of the ground farther than he walks.
        for seed in range(400) if DEEP else (0, 1, 2, 312):
            drawn = Drawn(seed)
            text = drawn.drill()
            with self.subTest(seed=seed):
                run = fired(text)
                kept = run.record.to_json()
                self.assertEqual(kept, fired(text, NIVVO_COMPILE="never").record.to_json(), "uncompiled")
                self.assertEqual(kept, fired(text, NIVVO_SLEEP="never").record.to_json(), "awake")
                with mock.patch("nivvo.play.stage.stage.FEW", 0):
                    self.assertEqual(kept, fired(text).record.to_json(), "all that move at once")
                order = drawn.rng.permutation(len(drawn.tables) - 1)
                self.assertEqual(run.rows("events"), fired(drawn.drill(order)).rows("events"), "in another order")
                places = list(zip(run.record.samples["key"].tolist(), run.record.samples["t"].tolist(), strict=True))
                self.assertEqual(len(places), len(set(places)), "a tick was flown twice")
                self.as_live(drawn, run)

    def as_live(self, drawn, run):
        live = nivvo.Live(nivvo.parse(drawn.bare()))
        middle = int(drawn.rng.integers(1, drawn.ticks))
        told = drawn.played(live, 0, middle)
        kept = live.snapshot()
        rest = drawn.played(live, middle, drawn.ticks)
        live.restore(kept)
        self.assertEqual(repr(rest), repr(drawn.played(live, middle, drawn.ticks)), "restored")
        until, words = drawn.ticks / drawn.rate - 1e-6, {one.word for one in HAPPENINGS.values()}
        mine = [(e.what, round(e.time, 9), e.id) for e in told + rest if e.what in words and e.time < until]
        times = run.record.events["start"] / UNITS + run.record.events["after"]
        kinds, keys = run.record.events["kind"].tolist(), run.record.events["key"].tolist()
        rows = zip(kinds, times.tolist(), keys, strict=True)
        theirs = [(HAPPENINGS[kind].word, round(time, 9), key) for kind, time, key in rows if time < until]
        self.assertEqual(sorted(mine), sorted(theirs), "live")


class Beside(unittest.TestCase):
    def test_what_is_far_away_changes_nothing(self):
        """However many stand, turn, fall or go their ways there: where these turn, ticks are cut, and that rounds."""
        for seed in range(90 if DEEP else 2):
            drawn, told = Drawn(seed), []
            # How far rounding may reach hangs on how large a scene is.
            corner = [500.0] * drawn.size
            drawn.tables.append(f"[obstacle.corner]\nat = {corner}\nshape.ball = 1")
            ways = (WAYS[0], WAYS[2], WAYS[5], WAYS[7], WAYS[10], WAYS[11], "", "turns_speeds_up = 20\nturns = 90")
            for count in (0, 40):
                for k in range(count):
                    at = [400.0 + k % 8, 300.0 + 3 * k, 100.0][: drawn.size]
                    keys = {"a": [1.0] * drawn.size, "b": at, "low": at, "high": [p + 5 for p in at]}
                    body = f"[obstacle.far{k}]\nat = {at}\nshape = {{ box = {[1.0, 0.5, 0.7][: drawn.size]} }}"
                    drawn.tables.append(f"{body}\n{ways[k % len(ways)].format(**keys)}")
                rows = fired(drawn.drill()).rows("events")
                told.append(sorted(tuple(row.values())[1:4] + (row["time"],) for row in rows))
                told[-1] = [one for one in told[-1] if not one[2].startswith("far")]
            self.assertEqual(*([one[:3] for one in those] for those in told), seed)
            np.testing.assert_allclose(*([one[3] for one in those] for those in told), atol=1e-4, err_msg=str(seed))


class Kept(unittest.TestCase):
    def test_who_keeps_contacts_alone_knows_the_same_or_says_that_it_does_not_know(self):
        known = unknown = 0
        for seed in range(200) if DEEP else (3, 4, 8, 20, 29, 41):
            drill = nivvo.parse(Drawn(seed).drill())
            run, kept = nivvo.fire(drill), nivvo.fire(drill, keep="contacts")
            for table in TABLES:
                for one, other in zip(run.rows(table), kept.rows(table), strict=True) if table != "paths" else ():
                    for column, value in one.items():
                        if column in ("apex", "path_length", "closest") and math.isnan(other[column]):
                            self.assertFalse(kept.flight(one["projectile"]).known, (seed, table, column))
                            unknown += 1
                        elif isinstance(value, float):
                            np.testing.assert_allclose(
                                other[column], value, rtol=3e-7, atol=1e-7, err_msg=f"{seed} {column}"
                            )
                        else:
                            self.assertEqual(other[column], value, (seed, table, column))
            for name in kept.ids.values():
                if kept.flight(name).known:
                    known += 1
                else:
                    with self.assertRaisesRegex(nivvo.CallError, "paths"):
                        nivvo.measure(kept, "path_length", name)
        self.assertGreater(min(known, unknown), 5)

    def test_where_what_flies_is_when_a_case_is_decided_within_a_tick_is_right(self):
        text = (
            "nivvo = 1\ntick.motion = '{}'\n[ability.r]\nfiring = {{ kind = 'auto', rate = 9 }}\nlaunch.speed = 20\n"
            "flight.drag.linear = 0.2\nlimits.life = 3\non.targets = {{ score.points = 5 }}\n[target.w]\nat = [9, 0]\n"
            "[case.c]\nwon.score = 10\ninput = [{{ t = 0.013, hold = 'fire', held = 2 }}]\n"
        )
        for motion in ("exact", "semi-implicit", "explicit", "verlet"):
            drill = nivvo.parse(text.format(motion))
            runs = [nivvo.fire(drill, keep=keep).rows("projectiles") for keep in ("paths", "contacts")]
            for one, other in zip(*runs, strict=True):
                self.assertEqual((other["ended"], other["reason"]), (one["ended"], one["reason"]))
                for name in ("end_x", "end_y", "range", "end_speed"):
                    self.assertAlmostEqual(other[name], one[name], delta=1e-7)


class Previewed(unittest.TestCase):
    def test_a_preview_is_the_flight_until_something_happens_to_it(self):
        seen = 0
        for seed in range(400) if DEEP else (*range(30), 62):
            # Of several that leave at once a preview shows the middle of their spread.
            text = re.sub(r", (count = \d+, fan = \d+|scatter = \d+|ring = \d+, count = \d+)", "", Drawn(seed).drill())
            if any(word in text for word in ("blink", "knock", "pull")):
                continue
            drill = nivvo.parse(text)
            run = nivvo.fire(drill)
            rows = run.rows("events")
            struck = [row["time"] for row in rows if row["what"] in ("damage", "out", "pushed")]
            for shot in run.fired:
                name, born = run.id_of(shot), shot.time / UNITS
                if shot.parent >= 0 or shot.number or len(shot.sent) > 1 or min(struck, default=math.inf) <= born:
                    continue
                held, path = shot.moment.held / UNITS, run.flight(name)
                shown = nivvo.preview(drill, ability=shot.ability, shooter=shot.shooter, at=born, held=held)
                ends = [row["time"] for row in rows if row["projectile"] == name and row["what"] in PREVIEWED]
                end = min([*ends, *struck, float(path.t[-1])])
                times = shown.times + path.t[0]
                there = path.line(times[times < end - 1e-9])[:, : shown.points.shape[1]]
                np.testing.assert_allclose(shown.points[: len(there)], there, atol=1e-6, err_msg=f"{seed} {name}")
                self.assertGreater(times[-1], end - 1.5 / run.scene.rate, (seed, name, shown))
                seen += 1
        self.assertGreater(seen, 4)


PREVIEWED = ("contact", "overlap", "ended", "moment", "met")
"""With what the flight may go on otherwise than its preview."""


if __name__ == "__main__":
    unittest.main()
