"""The rules of the house, kept by the build: who may import whom, who may print, what is registered."""

import ast
import doctest
import inspect
import re
import unittest
from pathlib import Path

import nivvo
from nivvo.core import pool
from nivvo.core.geometry import shapes
from nivvo.core.numbers import curves
from nivvo.record import vocabulary
from nivvo.spec.abilities import ability
from nivvo.spec.scenes import scene, values

HOUSE = Path(nivvo.__file__).parent
BELOW = {
    "errors": set(),
    "results": set(),
    "core": set(),
    "spec": {"errors", "results"},
    "record": {"errors", "results", "core"},
    "plan": {"errors", "core", "spec"},
    "play": {"errors", "results", "core", "record", "spec", "plan"},
    "judge": {"errors", "results", "core", "record", "spec", "plan", "play"},
    "show": {"errors", "core", "record", "spec", "plan", "play", "judge"},
    "cli": {"errors", "results", "core", "record", "spec", "plan", "play", "judge", "show"},
    "demo": set(),
}
# The rooms within a room, and which of them each may import; "" is what lies in no room of its own.
ROOMS = {
    "core": {
        "": set(),
        "numbers": {""},
        "geometry": {"", "numbers"},
        "bodies": {"", "numbers", "geometry"},
        "flying": {"", "numbers", "geometry"},
        "launching": {"", "numbers", "flying"},
        "contacts": {"", "numbers", "geometry", "flying"},
        "tick": {"", "numbers", "geometry", "flying", "contacts"},
        "world": {"", "numbers", "geometry", "flying", "contacts", "tick"},
    },
    "spec": {
        "words": set(),
        "scenes": set(),
        "abilities": {"scenes"},
        "reading": {"words", "scenes"},
        "checking": {"words", "scenes", "abilities", "reading"},
        "": {"words", "scenes", "abilities", "reading", "checking"},
    },
    "plan": {"abilities": set(), "": {"abilities"}},
    "play": {
        "ways": set(),
        "stage": {"ways"},
        "triggers": set(),
        "aims": {"ways", "stage"},
        "effects": {"stage"},
        "rules": {"ways", "stage", "aims", "effects"},
        "outcome": {"stage", "aims", "rules"},
        "session": {"ways", "stage", "triggers", "aims", "rules", "outcome"},
        "": {"stage", "triggers", "aims", "outcome", "session"},
        "questions": {"stage", "triggers", "aims", "outcome", "session", ""},
    },
    "show": {"drawing": set(), "": {"drawing"}},
}
MOST_LINES = 1800
"""Of what lies in one room; a room that outgrows it is divided."""
# What whoever runs, judges or draws a plan may take from ``spec``: never a model of what was written.
OF_SPEC = {"arguments", "writing", "words.nearest", "reading.files", "checking.tables"}
CORE_MAY_IMPORT = {"numpy", "scipy", "numba", "llvmlite", "platformdirs", "nivvo"}


def sources(*rooms):
    for path in sorted(HOUSE.rglob("*.py")):
        room = path.relative_to(HOUSE).parts[0].removesuffix(".py")
        if not rooms or room in rooms:
            yield room, path, ast.parse(path.read_text())


def imported(tree):
    for node in ast.walk(tree):
        if isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)
        elif isinstance(node, ast.ImportFrom):
            assert node.level == 0, "imports are absolute"
            yield node.module


class Imports(unittest.TestCase):
    def test_they_point_down_the_list_only(self):
        for room, path, tree in sources(*BELOW):
            for name in imported(tree):
                parts = name.split(".")
                if parts[0] == "nivvo" and len(parts) > 1 and parts[1] != room:
                    self.assertIn(parts[1], BELOW[room], f"{path.name} in {room} imports {name}")

    def test_so_they_do_from_room_to_room_within_a_room(self):
        def room_of(house, parts):
            return parts[0] if parts[0] in ROOMS[house] else ""

        seen = {house: set() for house in ROOMS}
        for house, path, tree in sources(*ROOMS):
            here = room_of(house, path.relative_to(HOUSE / house).parts)
            seen[house].add(here)
            for node in ast.walk(tree):
                if isinstance(node, ast.ImportFrom) and node.module.startswith(f"nivvo.{house}"):
                    parts = node.module.split(".")[2:] or [alias.name for alias in node.names]
                    there = room_of(house, parts)
                    good = there == here or there in ROOMS[house][here]
                    self.assertTrue(good, f"{path.name} in {house}.{here} imports {node.module}")
        self.assertEqual(seen, {house: set(rooms) for house, rooms in ROOMS.items()})

    def test_no_room_outgrows_what_one_can_know(self):
        for room in {path.parent for path in HOUSE.rglob("*.py")}:
            lines = sum(len(path.read_text().splitlines()) for path in room.glob("*.py"))
            self.assertLessEqual(lines, MOST_LINES, room.relative_to(HOUSE))

    def test_who_plays_or_shows_reads_plans_and_no_models(self):
        for _, path, tree in sources("play", "show"):
            for node in ast.walk(tree):
                if isinstance(node, ast.ImportFrom) and node.module.startswith("nivvo.spec."):
                    taken = node.module.removeprefix("nivvo.spec.")
                    names = {alias.name for alias in node.names}
                    # A drill itself is what a public call is given; its case is planned at once.
                    self.assertTrue(taken in OF_SPEC or names == {"Drill"}, f"{path.name} imports {node.module}")

    def test_the_files_that_contributing_names_are_there_and_hold_what_it_says(self):
        root, seen = Path(__file__).parents[1], 0
        for file, name in re.findall(r"`([a-z_/]+/[a-z_]+\.py)(?:: (\w+))?`", (root / "CONTRIBUTING.md").read_text()):
            places = [place for place in (root / file, HOUSE / file) if place.exists()]
            self.assertTrue(places, file)
            self.assertIn(name, places[0].read_text(), file)
            seen += 1
        self.assertGreater(seen, 30)

    def test_a_function_of_the_core_can_be_read_at_once_or_says_what_its_length_is_worth(self):
        for _, path, tree in sources("core"):
            lines = path.read_text().splitlines()
            for node in ast.walk(tree):
                if isinstance(node, ast.FunctionDef):
                    taken = [one.arg for one in (*node.args.args, *node.args.kwonlyargs) if one.arg != "self"]
                    self.assertLessEqual(len(taken), 8, f"{path.name}: {node.name}")
                    own = lines[node.lineno : node.end_lineno]
                    if len(own) >= 60:
                        self.assertIn("# Longer than a function of the core should be", "\n".join(own), node.name)

    def test_what_is_compiled_raises_nothing(self):
        """No compiled call is asked whether it raised (``core/_compiler.py``): what would is refused here."""
        seen = 0
        for _, path, tree in sources("core"):
            for node in ast.walk(tree):
                marks = {ast.unparse(one) for one in getattr(node, "decorator_list", ())}
                if marks & {"inner", "cold", "kernel"}:
                    raising = [one for one in ast.walk(node) if isinstance(one, ast.Raise | ast.Assert | ast.Try)]
                    self.assertFalse(raising, f"{path.name}: {node.name}")
                    seen += 1
        self.assertGreater(seen, 150)

    def test_numbers_are_added_up_alike_by_every_python(self):
        """``sum`` of floats rounds otherwise from Python 3.12 on: whole numbers and arrays alone go by it there."""
        from nivvo.core.numbers.frame import added

        self.assertEqual(added([0.1] * 10), 0.1 + 0.1 + 0.1 + 0.1 + 0.1 + 0.1 + 0.1 + 0.1 + 0.1 + 0.1)
        whole = {"_compiler.py", "hulls.py"}
        for _, path, tree in sources("core", "record"):
            called = {ast.unparse(node.func) for node in ast.walk(tree) if isinstance(node, ast.Call)}
            self.assertTrue("sum" not in called or path.name in whole, path.name)

    def test_core_needs_numbers_only(self):
        import sys

        for _, path, tree in sources("core"):
            for name in imported(tree):
                top = name.split(".")[0]
                self.assertTrue(top in CORE_MAY_IMPORT or top in sys.stdlib_module_names, f"{path.name}: {name}")

    def test_every_room_says_what_lives_there(self):
        for init in HOUSE.rglob("__init__.py"):
            self.assertTrue(ast.get_docstring(ast.parse(init.read_text())), init.parent.name)
        self.assertEqual(
            {path.name for path in HOUSE.iterdir() if (path / "__init__.py").exists()} | {"errors", "results"},
            set(BELOW),
        )


class Manners(unittest.TestCase):
    def test_core_spec_and_play_do_not_print_read_the_clock_or_draw_from_a_global_source(self):
        for _, path, tree in sources("core", "spec", "play"):
            # How long plain work took decides when it is compiled, and nothing else.
            never = {"time", "datetime", "random", "click", "rich"} - ({"time"} if path.name == "_jit.py" else set())
            for name in imported(tree):
                self.assertNotIn(name.split(".")[0], never, path.name)
            for node in ast.walk(tree):
                if isinstance(node, ast.Call):
                    called = ast.unparse(node.func)
                    self.assertNotIn(called, ("print", "input", "np.random.seed", "np.random.rand"), path.name)

    def test_only_the_two_decorators_compile(self):
        for _, path, tree in sources():
            if path.name in ("_jit.py", "_compiler.py"):
                continue
            for name in imported(tree):
                self.assertNotEqual(name.split(".")[0], "numba", path.name)

    def test_the_tick_uses_no_arithmetic_that_differs_between_machines(self):
        allowed = {"sqrt", "inf", "log"}
        files = {"acting.py", "contact.py", "flight.py", "grid.py", "roots.py", "vec.py", "shapes.py"}
        seen = set()
        for _, path, tree in sources("core"):
            if path.name in files or path.parent.name in ("tick", "contacts"):
                seen.add(path.name)
                for node in ast.walk(tree):
                    if isinstance(node, ast.Attribute) and ast.unparse(node.value) == "math":
                        self.assertIn(node.attr, allowed, path.name)
                    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Pow) and path.name != "grid.py":
                        self.fail(f"{path.name}:{node.lineno}: no powers in the tick")
        self.assertLessEqual(files | {"advance.py", "answer.py", "search.py"}, seen, "a file has moved")

    def test_public_functions_of_the_face_have_docstrings_and_types(self):
        for name in nivvo.__all__:
            if name.startswith("__"):
                continue
            thing = getattr(nivvo, name)
            self.assertTrue(inspect.getdoc(thing), name)
            if inspect.isfunction(thing):
                self.assertIn("return", thing.__annotations__ if name != "draw" else {"return": 1}, name)

    def test_the_example_in_the_face_runs(self):
        self.assertEqual(doctest.testmod(nivvo).failed, 0)
        self.assertTrue((HOUSE / "py.typed").exists())


class Registered(unittest.TestCase):
    def choices(self, model, key):
        import typing

        return set(typing.get_args(model.model_fields[key].annotation))

    def test_every_choice_of_a_drill_has_its_code_in_the_core(self):
        self.assertEqual(self.choices(scene.Tick, "motion"), set(pool.STEPS))
        self.assertEqual(self.choices(scene.Tick, "contacts"), set(pool.TOUCHES))
        self.assertEqual(self.choices(ability.Answer, "then"), set(pool.THEN))
        self.assertEqual(set(values.EASES), set(curves.EASES))
        # What is made of others: a wall of a box, polygons of a prism, chains and heights of several.
        made = {"wall", "polygon", "ellipse", "chain", "heights"}
        self.assertEqual(set(scene.KINDS) - made, set(shapes.KINDS) - {"prism"})
        self.assertEqual(scene.MOST_CORNERS, pool.MOST_CORNERS)

    def test_every_effect_is_one_file_and_one_row(self):
        from nivvo.play.effects.registry import EFFECTS

        files = {path.stem for path in (HOUSE / "play/effects").glob("*.py")} - {"__init__", "contract", "registry"}
        self.assertEqual(files, {apply.__module__.rpartition(".")[2] for apply in EFFECTS.values()})

    def test_every_table_of_a_run_can_be_printed_and_has_its_property(self):
        from nivvo.cli.fire import command
        from nivvo.play.outcome.run import TABLES, Run

        option = next(one for one in command.params if one.name == "table")
        self.assertEqual(set(option.type.choices), set(TABLES))
        self.assertEqual({name for name in TABLES if isinstance(getattr(Run, name, None), property)}, set(TABLES))

    def test_every_way_to_end_has_a_reason_a_person_can_read(self):
        codes = {value for name, value in vars(pool).items() if name.startswith("BY_")}
        self.assertEqual(codes | {pool.FLYING}, set(vocabulary.ENDINGS))

    def test_hot_records_stay_small(self):
        self.assertLessEqual(pool.FLIGHT.itemsize, 216)
