"""Every public function, called wrongly in every way: one family of errors, never a foreign one."""

import contextlib
import inspect
import itertools
import logging
import tempfile
import unittest
from pathlib import Path

import numpy as np

import nivvo
from tests.spec.broken import GOOD

WRONG = (None, "", "nope", "a\0b", 3, -1, 0, 1.5, float("nan"), float("inf"), 10**400, True, b"x", [], [1], [1, "x"],
         [[1, 2], [3]], {}, {3: 4}, object(), np.array([np.nan, 1.0]), np.zeros((2, 2)), lambda: 0)  # fmt: skip
CHARGE = GOOD.replace("launch.speed", 'firing = { kind = "charge", full_after = 1 }\nlaunch.speed')


def right():
    """A right value for each name of an argument of the public face."""
    import matplotlib.figure

    drill = nivvo.parse(CHARGE)
    run = nivvo.fire(drill)
    axes = matplotlib.figure.Figure().subplots(1, 3)
    live = nivvo.Live(drill, compiled=False)
    live.press("fire")
    live.step()
    live.release("fire")
    live.step()
    folder = tempfile.mkdtemp()
    path = Path(folder, "d.toml")
    path.write_text(GOOD)
    return {
        "drill": drill, "run": run, "case": "tap", "ability": "flare", "shooter": "keeper", "path": path, "text": GOOD,
        "tables": drill.document.tables, "body": "wisp", "name": "wisp", "of": "wisp", "axes": axes[0], "ax": axes[0],
        "live": axes[1], "settings": {"tick.rate": 30}, "folder": folder, "projectile": "flare-1", "table": "shots",
        "time": 0.1, "snapshot": live.snapshot(), "button": "fire", "kind": "target", "to": [20, 1.5], "id_":
        int(live.ids[0]), "x": 0.5, "y": 0.5, "point": 1, "angles": 1, "format": "csv", "keep": "paths",
    }, live  # fmt: skip


class Named(unittest.TestCase):
    def test_help_and_messages_know_each_by_its_public_name_and_each_argument_has_a_type(self):
        for name in nivvo.__all__:
            thing = getattr(nivvo, name)
            if not inspect.isfunction(thing):
                continue
            self.assertEqual((thing.__module__, thing.__name__), ("nivvo", name))
            signature = inspect.signature(thing)
            said = [one.annotation for one in signature.parameters.values()] + [signature.return_annotation]
            self.assertNotIn(inspect.Signature.empty, said, name)
        with self.assertRaisesRegex(nivvo.CallError, "^solve: "):
            nivvo.solve(foe=1)


class Paths(unittest.TestCase):
    def test_a_path_is_taken_wherever_a_drill_is(self):
        given, _ = right()
        Path(given["path"]).write_text(CHARGE)
        told = 0
        for name in nivvo.__all__:
            thing = getattr(nivvo, name)
            if not inspect.isfunction(thing) and thing is not nivvo.Live:
                continue
            if "drill" not in (taken := inspect.signature(thing).parameters):
                continue
            keys = {word: given[word] for word, one in taken.items() if one.default is one.empty or word == "case"}
            keys["axes"] = given["axes"]
            keys = {word: value for word, value in keys.items() if word in taken}
            drill = nivvo.load(given["path"])
            for path in (given["path"], str(given["path"])):
                one, other = (thing(**{**keys, "drill": what}) for what in (drill, path))
                self.assertEqual(repr(one), repr(other), name)
                told += 1
        self.assertGreater(told, 15)
        with self.assertRaises(nivvo.CallError) as caught:
            nivvo.fire(GOOD)
        self.assertIn("nivvo.parse", str(caught.exception))


class Misuse(unittest.TestCase):
    def setUp(self):
        # Some wrong names are names that a file can have.
        self.enterContext(contextlib.chdir(self.enterContext(tempfile.TemporaryDirectory())))

    def walk(self, function, arguments, given):
        """Call with each argument wrong in turn; who is right in the rest must not fail in a foreign way."""
        calls = 0
        for word, wrong in itertools.product(arguments, WRONG):
            keys = {**given, word: wrong}
            try:
                function(**keys)
            except nivvo.NivvoError as error:
                self.assertTrue(str(error).strip(), f"{function} {word}")
            except Exception as error:
                self.fail(f"{function.__qualname__}({word}={wrong!r}): {type(error).__name__}: {error}")
            calls += 1
        for keys in ({"nonsense": 1}, {**given, "caze": "tap"}):
            with self.assertRaises(nivvo.NivvoError, msg=function.__qualname__):
                function(**keys)
        return calls

    def test_every_public_function(self):
        values, _ = right()
        found = {
            "draw_rose": nivvo.rose(values["drill"], count=4),
            "draw_hold_table": nivvo.hold_table(values["drill"]),
        }
        calls, walked = 0, set()
        for name in nivvo.__all__:
            thing = getattr(nivvo, name)
            if not inspect.isfunction(thing) or name in ("schema",):
                continue
            parameters = inspect.signature(thing).parameters
            given = {
                word: found[name] if word == "found" else values[word]
                for word, one in parameters.items()
                if one.default is one.empty
            }
            if name in ("draw_hold_table",):
                given["axes"] = [values["axes"]] * (len(found[name].keys) + 3)
            if name == "measure":
                given |= {"name": "damage", "of": "wisp"}
            calls += self.walk(thing, [word for word in parameters if word != "patient"], given)
            walked.add(name)
        self.assertGreater(calls, 800)
        self.assertGreaterEqual(walked, {"fire", "load", "parse", "from_tables", "preview", "solve", "save", "measure"})

    def test_every_method_of_a_live_session_and_of_a_run(self):
        # What a saved play leaves out is told by a warning, of which others ask.
        logging.disable(logging.WARNING)
        self.addCleanup(logging.disable, logging.NOTSET)
        values, live = right()
        skip = {"add", "set_cursor", "set_look", "restore"}
        for owner in (live, values["run"], values["drill"]):
            for name, function in inspect.getmembers(type(owner), inspect.isfunction):
                if name.startswith("_") or name in skip or name == "id_of":
                    continue
                parameters = {
                    word: one for word, one in inspect.signature(function).parameters.items() if word != "self"
                }
                if not parameters:
                    continue
                given = {word: values[word] for word, one in parameters.items() if one.default is one.empty}
                with self.subTest(f"{type(owner).__name__}.{name}"):
                    self.walk(getattr(owner, name), list(parameters), given)
        for name in ("set_cursor", "set_look"):
            for wrong in WRONG:
                for many in ((wrong,), (wrong, wrong), (wrong,) * 4):
                    try:
                        getattr(live, name)(*many)
                    except nivvo.NivvoError:
                        continue
        for keys in ({}, {"at": 3}, {"at": [1, 2, 3]}, {"at": [1, 2], "shape": {"box": [1, 1], "turned": [1, 2, 3]}},
                     {"at": [1, 2], "move": {"velocity": [1, 2, 3]}}, {"nope": 1}, {"at": [1, np.nan]},
                     {"at": [1, 2], "group": "nobody"}):  # fmt: skip
            with self.assertRaises(nivvo.NivvoError):
                live.add("target", "b", **keys)
        for name in ("a b", "", 3, None, "wisp"):
            with self.assertRaises(nivvo.NivvoError):
                live.add("target", name, at=[1, 2])
        for call in (lambda: live.add("target", "b", [1, 2]), lambda: live.add("target"), lambda: live.snapshot(1),
                     lambda: live.set_cursor(1, 2, foe=3), lambda: live.clear_inputs(2)):  # fmt: skip
            self.assertRaises(nivvo.CallError, call)

    def test_silence_is_no_answer(self):
        drill = nivvo.parse(GOOD)
        run = nivvo.fire(drill)
        for call in (
            lambda: nivvo.measure(run, "damage", "wips"),
            lambda: nivvo.measure(run, "range", "wisp"),
            lambda: nivvo.measure(run, "health"),
            lambda: nivvo.fire(drill, ""),
            lambda: nivvo.preview(drill, shooter=""),
            lambda: nivvo.preview(drill, spacing=1e-12),
            lambda: nivvo.Live(drill, compiled=False).step(1e-13),
            lambda: nivvo.Live(drill, compiled=False).press("fire", shooter=""),
        ):
            with self.assertRaises(nivvo.CallError):
                call()

    def test_a_snapshot_belongs_to_its_session_and_views_are_to_read(self):
        one, other = (nivvo.Live(nivvo.parse(GOOD), compiled=False) for _ in range(2))
        one.tap("fire")
        one.step()
        with self.assertRaisesRegex(nivvo.CallError, "another session"):
            other.restore(one.snapshot())
        for view in (one.positions, one.velocities, one.ids):
            with self.assertRaises(ValueError):
                view[:] = 0
