"""Reading drills: positions against a plain search, merging, inheritance, settings, the schema."""

import gc
import json
import re
import tempfile
import tomllib
import unittest
from pathlib import Path

import jsonschema
from hypothesis import given
from hypothesis import strategies as st

import nivvo
from nivvo.plan.abilities.numbers import curve_of
from nivvo.spec.reading.document import of_tables
from nivvo.spec.reading.positions import Scanner, TooDeep
from nivvo.spec.scenes.values import Depends, Duration
from tests.spec.broken import BROKEN, GOOD

DEMO = Path(nivvo.__file__).parent / "demo"

LASTING = """nivvo = 1
[shooter.keeper]
health = 30
lives = 3
back_after = <30>
walk.speed = 2
[ability.auto]
firing = { kind = "auto", interval = <9>, button = "a", wind_up = <6>, recovery = <3>, cooldown = <12>, ammo = 3, \
reload = <24> }
launch.speed = 12
aim = { by = "nearest", group = "wisps" }
limits.life = <45>
flight.thrust = { acceleration = 5, after = <6>, lasts = <18> }
on.wisps = { damage = 4, lasting = { damage = 1, every = <9>, times = 3 } }
[ability.charge]
firing = { kind = "charge", button = "c", full_after = <45>, min_hold = <6> }
launch.speed = { by = "held", start = 5, end = 20 }
limits.life = <60>
when.age = { at = <21>, then = "go on", sends.ability = "chip" }
[ability.chip]
firing.button = "none"
launch.speed = 6
limits.life = <30>
flight.sway = { across = 0.3, period = 0.5, grows_over = <15> }
[ability.ready]
firing = { kind = "ready", button = "r", confirm = "rr", gives_up_after = <60> }
launch.speed = 9
limits.life = <60>
flight.homing = { law = "pursuit", turn_rate = 90, group = "wisps", after = <12>, lasts = <30>, looks_every = <6> }
[ability.single]
firing = { button = "s", cooldown = <30>, remembers = <12> }
launch.speed = 15
aim = { by = "nearest", group = "wisps" }
limits.life = <45>
on.wisps = { damage = 2, blink = { within = 3, lasts = <18> } }
[ability.round]
firing.button = "o"
launch.speed = 3
flight.orbit = { radius = 2, turn_rate = 180, lasts = <60>, grows_over = <12> }
limits.life = <90>
[target.wisp]
at = [7, 0.5]
group = "wisps"
health = 500
[target.late]
at = [9, 2]
group = "wisps"
arrives = <33>
leaves = <150>
[target.gull]
at = [6, 3]
group = "wisps"
move = { chase = "keeper", speed = 3 }
on_shooter = { damage = 5, every = <15> }
wave = { count = 3, every = <21>, first = <9>, places = [[6, 3]] }
[target.moth]
at = [8, 4]
wave = { times = [<12>, <40>], places = [[8, 4]] }
[cue.bang]
on = "fired"
lasts = <12>
[case.c]
lasts = <240>
lost.time = <200>
input = [{ t = <3>, hold = "a", held = <90> }, { t = <6>, hold = "c", held = <30> }, { t = <12>, tap = "r" }, \
{ t = <30>, tap = "rr" }, { t = <18>, tap = "s", count = 3, every = <10> }, { t = <20>, tap = "o" }, \
{ t = <60>, walk = [1, 0] }]
check = [{ hits = "wisp", before = <180>, after = <6> }]
""".replace("\\\n", "")

names = st.sampled_from(["a", "b", "speed", "wall-1", '"a b"', "'x.y'"])
scalars = st.sampled_from(
    ["1", "-2.5", "true", '"text # ] }"', "'lit'", "[1, 2]", "{ q = 1, r = [3] }", '"""\nlong\n"""']
)


class Positions(unittest.TestCase):
    @given(st.lists(st.tuples(names, names, scalars), max_size=8), st.integers(0, 3))
    def test_every_key_stands_where_its_line_says(self, pairs, blank):
        lines, expected = ["# head"] + [""] * blank, {}
        for k, (table, key, value) in enumerate(pairs):
            lines.append(f"[t{k}.{table}]  # a comment")
            lines.append(f"  {key} = {value}")
            expected[(f"t{k}", table.strip("\"'"), key.strip("\"'"))] = "\n".join(lines[:-1]).count("\n") + 2
        text = "\n".join(lines) + "\n"
        tomllib.loads(text)
        found = Scanner(text).scan()
        for key, line in expected.items():
            self.assertEqual(found[key], line, text)

    @given(st.text(alphabet="[]{}=\"'\\\n,.a1# ", max_size=200))
    def test_any_text_is_walked_to_an_end(self, text):
        try:
            Scanner(text).scan()
        except TooDeep as error:
            self.assertGreater(error.line, 0)

    def test_all_keys_that_the_parser_sees_have_a_line(self):
        for path in sorted(DEMO.glob("*.toml")):
            text = path.read_text()
            found = Scanner(text).scan()

            def walk(node, key, found=found):
                for name, value in node.items() if isinstance(node, dict) else enumerate(node):
                    self.assertIn((*key, name), found)
                    if isinstance(value, (dict, list)):
                        walk(value, (*key, name))

            walk(tomllib.loads(text), ())


class Merging(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def write(self, name, text):
        (self.folder / name).write_text(text)
        return self.folder / name

    def test_what_is_used_lies_below_and_later_wins(self):
        self.write("rules.toml", "tick.rate = 30\ntick.motion = 'verlet'\nworld.gravity = 5\n")
        self.write("quay.toml", "tick.rate = 50\n[target.wisp]\nat = [1, 1]\ngroup = 'a'\n")
        path = self.write(
            "drill.toml",
            'nivvo = 1\nuse = ["rules.toml", "quay.toml"]\n'
            '[ability.flare]\nlaunch.speed = 3\n[target.wisp]\ngroup = "b"\n',
        )
        drill = nivvo.load(path)
        self.assertEqual((drill.model.tick.rate, drill.model.tick.motion), (50, "verlet"))
        self.assertEqual((drill.model.target["wisp"].at, drill.model.target["wisp"].group), ([1, 1], "b"))
        origins = {row.key: row.origin for row in nivvo.explain(drill)}
        self.assertTrue(origins["tick.rate"].endswith("quay.toml:1"), origins["tick.rate"])
        self.assertTrue(origins["target.wisp.group"].endswith("drill.toml:6"))
        self.assertEqual(origins["tick.contacts"], "default")

    def test_like_merges_deeply_and_without_takes_away(self):
        drill = nivvo.parse(
            GOOD
            + '[ability.b]\nlike = "flare"\nlaunch.elevation = 10\n'
            + '[ability.c]\nlike = "b"\nwithout = ["launch.elevation"]\nlaunch.speed = 5\n'
        )
        b, c = drill.model.ability["b"].launch, drill.model.ability["c"].launch
        self.assertEqual((b.speed, b.elevation, c.speed, c.elevation), (18, 10, 5, None))
        rows = {row.key: row.origin for row in nivvo.explain(drill)}
        self.assertEqual(rows["ability.b.launch.speed"], "drill:11, like flare")

    def test_a_shape_is_replaced_whole(self):
        drill = nivvo.parse(
            GOOD + '[target.b]\nlike = "wisp"\nshape.ball = 2\n[target.c]\nlike = "b"\nshape.box = [1, 2]\n'
        )
        self.assertIsNone(drill.model.target["c"].shape.ball)

    def test_a_case_sets_and_the_command_line_wins(self):
        drill = nivvo.parse(GOOD + 'set = { "ability.flare.launch.speed" = 20 }\n')
        self.assertEqual(drill.model.ability["flare"].launch.speed, 18)
        self.assertEqual(drill.of_case("tap").ability["flare"].launch.speed, 20)
        other = drill.with_settings({"ability.flare.launch.elevation": 11})
        self.assertEqual(other.of_case("tap").ability["flare"].launch.elevation, 11)
        self.assertEqual(drill.model.ability["flare"].launch.elevation, 40)
        rows = {row.key: row.origin for row in nivvo.explain(drill, "tap")}
        self.assertEqual(rows["ability.flare.launch.speed"], "case tap, drill:15")
        for key, value in (("ability.flare.launch.speed", 7), ("ability.flare.launch", {"speed": 7})):
            won = drill.with_settings({key: value})
            self.assertEqual(won.of_case("tap").ability["flare"].launch.speed, 7, key)

    def test_a_duration_in_ticks_is_the_one_in_seconds(self):
        texts = [re.sub(r"<(\d+)>", lambda found: f'"{found[1]} ticks"', LASTING),
                 re.sub(r"<(\d+)>", lambda found: repr(int(found[1]) / 60), LASTING)]  # fmt: skip
        one, other = map(nivvo.parse, texts)
        self.assertEqual(nivvo.fire(one).digest, nivvo.fire(other).digest)
        self.assertEqual(*(nivvo.check(made)[0].found for made in (one, other)))
        # All keys that may be in ticks are in it.
        known = nivvo.keys()
        for word in {one.key.split(".")[-1] for one in known if '"90 ticks"' in one.takes}:
            self.assertRegex(texts[0], rf'\b{word} = \[?"\d+ ticks"')

    def test_a_sweep_of_settings_keeps_no_more_the_longer_it_is(self):
        drill, held = nivvo.parse(GOOD), []
        for count in range(1800):
            drill.with_settings({"ability.flare.launch.speed": 10 + 0.01 * count})
            if count in (900, 1799):
                gc.collect()
                held.append(len(gc.get_objects()))
        self.assertLess(held[1] - held[0], 1000)

    def test_plain_tables_make_the_same_drill_as_the_file(self):
        tables = tomllib.loads(GOOD)
        self.assertEqual(nivvo.from_tables(tables).model, nivvo.parse(GOOD).model)
        self.assertEqual(of_tables(tables).tables, tables)

    def test_defaults_make_the_shortest_drill_complete(self):
        drill = nivvo.parse("nivvo = 1\n[ability.a]\nlaunch.speed = 5\n")
        self.assertEqual(drill.cases, ["default"])
        self.assertEqual(len(nivvo.fire(drill).rows("shots")), 1)


class Values(unittest.TestCase):
    def test_steps_go_up_to_the_cap_and_never_over(self):
        value = Depends(by="shot", start=2.0, step=7.0, every=2, cap=20.0)
        self.assertEqual([curve_of(value, None).at(k) for k in range(8)], [2, 2, 9, 9, 16, 16, 20, 20])

    @given(st.floats(-5, 15))
    def test_points_are_joined_by_straight_lines_and_held_beyond(self, x):
        import numpy as np

        value = Depends(by="shot", points=[[0.0, 1.0], [4.0, 9.0], [10.0, 3.0]])
        self.assertAlmostEqual(curve_of(value, None).at(x), np.interp(x, [0, 4, 10], [1, 9, 3]), delta=1e-12)

    def test_ticks_are_a_duration_too(self):
        drill = nivvo.parse(GOOD.replace("launch.speed", 'limits.life = "90 ticks"\nlaunch.speed'))
        life = drill.model.ability["flare"].limits.life
        self.assertIsInstance(life, Duration)
        self.assertEqual(life.seconds(60.0), 1.5)
        run = nivvo.fire(nivvo.parse(GOOD.replace("launch.speed", 'limits.life = "30 ticks"\nlaunch.speed')))
        self.assertEqual(run.rows("projectiles")[0]["flight_time"], 0.5)


class Schema(unittest.TestCase):
    def test_it_is_a_schema_that_takes_the_demo_drills_and_refuses_broken_keys(self):
        schema = nivvo.schema()
        json.dumps(schema)
        jsonschema.Draft202012Validator.check_schema(schema)
        validator = jsonschema.Draft202012Validator(schema)
        for path in sorted(DEMO.glob("*.toml")):
            errors = [error.message for error in validator.iter_errors(tomllib.loads(path.read_text()))]
            self.assertEqual(errors, [], path.name)
        for name in ("unknown key", "negative speed", "unknown choice", "speed as text", "table as number", "steep"):
            self.assertFalse(validator.is_valid(tomllib.loads(BROKEN[name][0])), name)
