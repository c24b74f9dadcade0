"""What contacts do against a slow model: damage, piercing, blasts, scores, what lasts, who is out.

The model samples where straight shots are, finds when they come to each body, and keeps health and points by hand, in
the written order: by time; at one contact damage and death, then score, blast, what lasts, who is removed.
"""

import math
import os
import unittest
from unittest import mock

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

import nivvo
from tests.core.slow import boxed, first_touch, turned

VIEWS = ("", "world.y = 'down'", "world.view = 'top'", "world.view = 'space'")
LIFE = 1.5
EVERY = 0.1037
"""Seconds between shots; no other time of a scene is a multiple of it."""


class Scene:
    """Targets that are balls and turned boxes, rules for three groups, and one to three shots along one line."""

    def __init__(self, seed):
        rng = np.random.default_rng(seed)
        self.size, self.view = 3 if seed % 4 == 3 else 2, VIEWS[seed % 4]
        self.angle, self.speed = round(rng.uniform(-180, 180), 1), round(rng.uniform(10, 40), 1)
        self.radius, self.count = round(rng.uniform(0.05, 0.2), 2), int(rng.integers(1, 4))
        self.way, aside = turned(self.angle)
        self.start = self.way * (0.1 + self.radius + 0.01)
        self.bodies = {f"b{k}": self._body(rng, aside) for k in range(int(rng.integers(3, 8)))}
        self.rules = {group: self._rule(rng) for group in "abc"}

    def _body(self, rng, aside):
        at = self.way * rng.uniform(2, 14) + aside * rng.uniform(-1.5, 1.5)
        at[2] = rng.uniform(-0.6, 0.6) if self.size == 3 else 0.0
        return {"ball": bool(rng.integers(2)), "at": at.round(2), "sizes": rng.uniform(0.3, 1.5, 3).round(2),
                "turned": round(rng.uniform(0, 180), 1), "group": "abc"[rng.integers(3)],
                "health": round(rng.uniform(20, 90), 1), "armour": round(rng.uniform(0, 6), 1),
                "soaks": round(rng.uniform(0, 0.5), 2)}  # fmt: skip

    def _rule(self, rng):
        rule = {"damage": round(rng.uniform(0, 40), 1), "flown": bool(rng.integers(2)), "passes": bool(rng.integers(4)),
                "pierces": int(rng.integers(1, 4)), "kept": round(rng.uniform(0.3, 1), 2),
                "removes": not rng.integers(6), "blast": None, "lasting": None,
                "score": {"points": round(rng.uniform(1, 20), 1), "streak_within": round(rng.uniform(0.02, 0.2), 2),
                          "streak_times": round(rng.uniform(1.1, 3), 1), "streak_most": round(rng.uniform(1.1, 6), 1)},
                }  # fmt: skip
        if rng.integers(2):
            rule["blast"] = {"radius": round(rng.uniform(0.5, 4), 1), "damage": round(rng.uniform(5, 50), 1),
                             "falloff": str(rng.choice(["none", "linear", "smooth"])),
                             "spares": ["owner", "struck"][: int(rng.integers(1, 3))]}  # fmt: skip
        if rng.integers(2):
            again = str(rng.choice(["renews", "adds"]))
            rule["lasting"] = {"damage": round(rng.uniform(1, 9), 1), "every": round(rng.uniform(0.05, 0.3), 2),
                               "times": int(rng.integers(1, 5)), "again": again}  # fmt: skip
        return rule

    def text(self):
        lines = [
            f"nivvo = 1\n{self.view}\n[shooter.keeper]\nshape.ball = 0.1\ngroup = 'crew'\n[ability.rivet]",
            f"launch.speed = {self.speed}\nflight.gravity_share = 0\nlimits.life = {LIFE}\nshape.ball = {self.radius}",
            f"aim = {{ by = 'fixed', direction = {self.angle} }}\nmuzzle_blocked = 'fire anyway'",
            f"firing = {{ kind = 'auto', rate = {1 / EVERY} }}\non.crew.then = 'ignore'",
        ]
        for group in sorted({body["group"] for body in self.bodies.values()}):
            rule, then = self.rules[group], "then = 'end'"
            if rule["passes"]:
                then = f"then = 'pass'\npierces = {rule['pierces']}\ndamage_kept = {rule['kept']}"
            damage = f"{{ by = 'flown', points = [[0, {rule['damage']}], [10, 0]] }}"
            lines.append(f"[ability.rivet.on.{group}]\n{then}\nremoves = {str(rule['removes']).lower()}")
            lines.append(f"damage = {damage if rule['flown'] else rule['damage']}")
            for word in (word for word in ("score", "blast", "lasting") if rule[word]):
                keys = ", ".join(f"{key} = {value!r}" for key, value in rule[word].items())
                lines.append(f"{word} = {{ {keys} }}")
        for name, body in self.bodies.items():
            spin = [body["turned"], 0, 0] if self.size == 3 else body["turned"]
            box = f"box = {body['sizes'][: self.size].tolist()}, turned = {spin}"
            shape = f"ball = {body['sizes'][0]}" if body["ball"] else box
            lines.append(f"[target.{name}]\nat = {body['at'][: self.size].tolist()}\nshape = {{ {shape} }}")
            lines += [f"{key} = {body[key]!r}" for key in ("group", "health", "armour", "soaks")]
        last = (self.count - 0.5) * EVERY
        lines.append(
            f"[case.tap]\ninput = [{{ t = 0, press = 'fire' }}, {{ t = {last}, release = 'fire' }}]\nlasts = 6"
        )
        return "\n".join(lines)

    def gap(self, name, points):
        """The distance of points (n, 3) from a body, 0 inside."""
        body = self.bodies[name]
        if body["ball"]:
            return np.maximum(np.linalg.norm(points - body["at"], axis=1) - body["sizes"][0], 0.0)
        axes = [*turned(body["turned"]), np.array([0.0, 0.0, 1.0])][: self.size]
        return boxed(points, body["at"], axes, body["sizes"][: self.size] / 2)

    def at(self, seconds):
        return self.start + self.way * self.speed * np.asarray(seconds)[:, None]


class Played:
    """A scene played by the slow model: health of each body, who is out, points, every damage that was done."""

    def __init__(self, scene):
        self.scene, self.out, self.hurts = scene, set(), []
        self.health = {name: body["health"] for name, body in scene.bodies.items()}
        self.points, self.scored, self.streak = 0.0, -9.0, 1.0
        # When each shot comes to each body, if it meets it at all.
        self.comes = {
            name: first_touch(lambda t, name=name: scene.gap(name, scene.at(t)) - scene.radius, LIFE)
            for name in scene.bodies
        }
        contacts = [(k * EVERY + touch, name, k)
                    for k in range(scene.count) for name, touch in self.comes.items() if touch is not None]  # fmt: skip
        shots = [{"share": 1.0, "pierced": 0, "flies": True} for _ in range(scene.count)]
        self.lasting = []
        for time, name, k in sorted(contacts):
            self._until(time)
            if shots[k]["flies"] and name not in self.out:
                self._contact(time, name, shots[k])
        self._until(math.inf)

    def _until(self, time):
        """Let what lasts do its damage up to a time."""
        while self.lasting and min(self.lasting)[0] <= time:
            one = min(self.lasting)
            self.lasting.remove(one)
            now, name, left, damage, every = one
            self._hurt(name, damage)
            if left > 1 and name not in self.out:
                self.lasting.append((now + every, name, left - 1, damage, every))

    def _hurt(self, name, amount):
        body = self.scene.bodies[name]
        amount = max(amount * (1 - body["soaks"]) - body["armour"], 0.0)
        if name not in self.out and amount:
            self.health[name] -= amount
            self.hurts.append(amount)
            self.out |= {name} if self.health[name] <= 0 else set()

    def _contact(self, time, name, shot):
        scene = self.scene
        rule, p = scene.rules[scene.bodies[name]["group"]], scene.at([self.comes[name]])[0]
        damage = max(1 - self.comes[name] * scene.speed / 10, 0.0) * rule["damage"] if rule["flown"] else rule["damage"]
        passes = rule["passes"] and shot["pierced"] < rule["pierces"]
        self._hurt(name, damage * shot["share"])
        score = rule["score"]
        streak = self.streak * score["streak_times"] if time - self.scored <= score["streak_within"] else 1.0
        self.streak, self.scored = min(streak, score["streak_most"]), time
        self.points += score["points"] * self.streak
        if rule["blast"]:
            self._blast(rule["blast"], name, p)
        if (one := rule["lasting"]) is not None:
            self.lasting = [each for each in self.lasting if one["again"] == "adds" or each[1] != name]
            self.lasting.append((time + one["every"], name, one["times"], one["damage"], one["every"]))
        self.out |= {name} if rule["removes"] else set()
        shot["flies"], shot["pierced"] = passes, shot["pierced"] + 1
        shot["share"] *= rule["kept"]

    def _blast(self, blast, struck, p):
        steps = 1e-6 * np.eye(3)
        normal = (self.scene.gap(struck, p + steps) - self.scene.gap(struck, p - steps)) / 2e-6
        middle = p - self.scene.radius * normal
        for name in sorted(self.scene.bodies):
            x = self.scene.gap(name, middle[None])[0] / blast["radius"]
            if x <= 1 and not (name == struck and "struck" in blast["spares"]):
                share = {"none": 1.0, "linear": 1 - x, "smooth": 1 - x * x * (3 - 2 * x)}[blast["falloff"]]
                self._hurt(name, blast["damage"] * share)


class Effects(unittest.TestCase):
    @settings(max_examples=60, deadline=None, derandomize=True)
    @given(st.integers(0, 10**6))
    def test_as_the_slow_model_has_it(self, seed):
        scene, digests = Scene(seed), set()
        for mode in ("never", "always"):
            with mock.patch.dict(os.environ, NIVVO_COMPILE=mode):
                run = nivvo.fire(nivvo.parse(scene.text()))
                digests.add(run.digest)
        self.assertEqual(len(digests), 1)
        played = Played(scene)
        self.assertEqual({row["target"] for row in run.rows("targets") if math.isfinite(row["out_at"])}, played.out)
        done = [row["amount"] for row in run.rows("effects") if row["effect"] == "damage"]
        np.testing.assert_allclose(sorted(done), sorted(played.hurts), atol=1e-5)
        for row in run.rows("targets"):
            self.assertAlmostEqual(row["health_left"], max(played.health[row["target"]], 0), delta=1e-4)
        self.assertAlmostEqual(nivvo.measure(run, "score")[0], played.points, delta=1e-6)


class AtOnceOrLater(unittest.TestCase):
    """What may wait for the tick's end comes to the same as what is done at once, to the byte and in the same order."""

    THENS = ("'end'", "'pass'", "'bounce', restitution = 0.7", "'slide'", "'lodge'")
    EFFECTS = (
        "knock.impulse = 2", "anchor.most = 3", "pull.speed = 3", "blast = {{ radius = 3, damage = 15, impulse = 2 }}",
        "score = {{ points = 3, streak_within = 0.3, streak_times = 1.5, streak_most = 4 }}",
        "lasting = {{ damage = 4, every = {every}, times = 4, again = '{again}' }}",
    )  # fmt: skip

    def text(self, seed):
        rng, size = np.random.default_rng(seed), 3 if seed % 4 == 3 else 2
        lines = [
            f"nivvo = 1\n{VIEWS[seed % 4]}\ntick.rate = {rng.choice([7, 15, 60])}\n[shooter.keeper]\nshape.ball = 0.3",
            "[ability.rivet]\nfiring = { kind = 'auto', rate = 25, button = 'rivet' }\nlimits.life = 1.5",
            f"launch = {{ speed = {rng.uniform(8, 30)}, count = {rng.integers(2, 6)}, fan = {rng.uniform(10, 80)} }}",
        ]
        for group in "abc":
            what = [one for one in self.EFFECTS if rng.integers(2)]
            words = ", ".join([f"damage = {rng.uniform(0, 25)}, then = {rng.choice(self.THENS)}", *what])
            again, every = rng.choice(["renews", "adds"]), rng.uniform(0.03, 0.4)
            lines.append(f"on.{group} = {{ {words.format(again=again, every=every) if what else words} }}")
        for k in range(int(rng.integers(5, 12))):
            kind, at, turn = ("target", "obstacle")[rng.integers(2)], rng.uniform(-4, 4, size), rng.uniform(0, 90)
            box = f"box = {rng.uniform(0.3, 2, size).tolist()}, turned = {[turn, 0, 0] if size == 3 else turn}"
            at[0] = abs(at[0]) + 1.5
            lines.append(f"[{kind}.b{k}]\nat = {at.tolist()}\ngroup = '{'abc'[k % 3]}'\nshape = {{ {box} }}")
            lines += [f"health = {rng.uniform(5, 80)}"] if kind == "target" else []
            moves = f"move.velocity = {rng.uniform(-2, 2, size).tolist()}" if rng.integers(2) else ""
            lines.append(f"mass = {rng.uniform(0.5, 4)}" if k < 3 else moves)
        return "\n".join([*lines, "[case.held]\nlasts = 1.2\ninput = [{ t = 0, hold = 'rivet', held = 0.7 }]"])

    def played(self, seed):
        drill, rng = nivvo.parse(self.text(seed)), np.random.default_rng(seed)
        live = nivvo.Live(drill)
        live.press("rivet")
        steps = [float(rng.uniform(0.005, 0.2)) if rng.integers(3) else None for _ in range(15)]
        return nivvo.fire(drill).record.to_json(), [repr(event) for dt in steps for event in live.step(dt)]

    def test_random_scenes(self):
        for seed in range(3):
            later = self.played(seed)
            at_once = mock.patch("nivvo.play.rules.consequences.Consequences.hurts", lambda *_: (math.inf, 0.0))
            with self.subTest(seed), at_once:
                self.assertEqual(later, self.played(seed))


class Held(unittest.TestCase):
    """What flies is the same whether the engine held at a contact or not, whatever else moves or is sought."""

    TEXT = """nivvo = 1
    tick = {{ rate = 30, motion = "{motion}" }}
    [shooter.keeper]
    shape.ball = 0.3
    [ability.flare]
    launch = {{ speed = 20, elevation = 30 }}
    flight.drag.linear = 0.3
    limits.life = 2
    hits_owner = "never"
    on.bales = {{ then = "pass"{effect} }}
    [target.bale]
    at = [8, 3.5]
    shape.box = [1, 3]
    group = "bales"
    [obstacle.barge]
    at = [-30, 0]
    shape.ball = 1
    move.velocity = [0, 1]
    """

    def test_a_flight_under_drag_past_a_contact_with_effects(self):
        for motion in ("exact", "semi-implicit", "verlet"):
            plain = nivvo.fire(nivvo.parse(self.TEXT.format(motion=motion, effect="")))
            for effect in (
                "blink.within = 3",
                "pull.speed = 1",
                "removes = true",
                "blast = { radius = 1, damage = 1 }",
            ):
                with self.subTest(motion, effect=effect):
                    held = nivvo.fire(nivvo.parse(self.TEXT.format(motion=motion, effect=f", {effect}")))
                    self.assertEqual(len(held.rows("contacts")), 1)
                    first, second = (run.flight("flare-1") for run in (plain, held))
                    np.testing.assert_allclose(second.t, first.t, atol=1e-12)
                    np.testing.assert_allclose(second.p, first.p, atol=1e-9)

    def test_children_that_are_born_in_a_tick_find_room(self):
        # With 41 shots that part into 82 more there is one sample more than there is room for at first.
        text = """nivvo = 1
        [shooter.keeper]
        [ability.flare]
        launch = { speed = 10, count = 41, fan = 1 }
        flight.gravity_share = 0
        limits.life = 1
        on.walls = { then = "bounce", restitution = 1, sends = { ability = "chip", along = "reflected" } }
        [ability.chip]
        launch = { speed = 1, count = 2, fan = 90 }
        limits.life = 0.5
        [obstacle.wall]
        at = [5.5008, 0]
        shape.box = [2, 9]
        group = "walls"
        """
        with mock.patch.dict(os.environ, NIVVO_COMPILE="never"):
            run = nivvo.fire(nivvo.parse(text))
        self.assertEqual(len(run.rows("projectiles")), 123)

    def test_what_lasts_goes_on_between_contacts_where_others_turn(self):
        text = """nivvo = 1
        [shooter.keeper]
        [ability.rivet]
        firing = { kind = "burst", shots = 4, interval = 0.1, button = "rivet" }
        launch.speed = 20
        flight.gravity_share = 0
        on.bales = { then = "end", damage = 1, lasting = { damage = 2, every = 0.09, times = 1 } }
        [target.bale]
        at = [14, 0]
        group = "bales"
        [target.gull]
        at = [-40, 0]
        move = { chase = "keeper", speed = 1 }
        [case.held]
        lasts = 2
        input = [{ t = 0, tap = "rivet" }]
        """
        run = nivvo.fire(nivvo.parse(text))
        rows = [row for row in run.rows("effects") if row["effect"] == "damage"]
        times = [row["time"] for row in rows]
        self.assertEqual(times, sorted(times))
        self.assertEqual([row["amount"] for row in rows], [1.0, 2.0] * 4)

    def test_what_lasts_may_put_out_before_the_next_contact_of_the_same_tick(self):
        text = """nivvo = 1
        tick.rate = 5
        [shooter.keeper]
        [ability.rivet]
        firing = { kind = "burst", shots = 2, interval = 0.05 }
        launch.speed = 20
        flight.gravity_share = 0
        limits.life = 2
        on.bales = { then = "end", lasting = { damage = 50, every = 0.03, times = 1 } }
        [target.bale]
        at = [11.5, 0]
        group = "bales"
        health = 40
        """
        run = nivvo.fire(nivvo.parse(text))
        (contact,) = run.rows("contacts")
        # Both would touch it within one tick.
        self.assertEqual(int(contact["time"] * 5), int((contact["time"] + 0.05) * 5))
        (row,) = run.rows("targets")
        self.assertAlmostEqual(row["out_at"], contact["time"] + 0.03, delta=1e-9)

    def test_who_seeks_whom_a_contact_puts_out_by_whatever_follows_it_loses_it_at_the_next_tick(self):
        text = """nivvo = 1
        tick.rate = 20
        [shooter.keeper]
        [ability.flare]
        firing = {{ kind = "burst", shots = 2, interval = 0.11 }}
        aim.by = "nearest"
        launch.speed = 12
        flight = {{ gravity_share = 0, homing.turn_rate = 90 }}
        limits.life = 3
        on.gulls = {{ {} }}
        [target.near]
        at = [5, 1]
        health = 40
        group = "gulls"
        [target.far]
        at = [9, -2]
        group = "gulls"
        """
        for follows in (
            "damage = 50, blast = { radius = 0.1, damage = 1 }",
            "damage = 5, blast = { radius = 2, damage = 50 }",
            "removes = true",
            "lasting = { damage = 50, every = 0.02, times = 1 }",
        ):
            run = nivvo.fire(nivvo.parse(text.format(follows)))
            out = min(row["time"] for row in run.rows("events") if row["what"] == "out")
            lost = [row["time"] for row in run.rows("events") if row["what"] == "lost"]
            self.assertEqual(len(lost), 1, follows)
            self.assertLessEqual(lost[0] - out, 0.05 + 1e-9)


if __name__ == "__main__":
    unittest.main()
