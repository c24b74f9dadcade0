"""The matrix of who touches whom is what happens when they do."""

import unittest

import nivvo
from tests.cli.calls import call

TEXT = """nivvo = 1
[ability.rivet]
launch.speed = 30
flight.gravity_share = 0
limits.life = 1
on.wisps = { then = "pass", damage = 4, blast = { radius = 1, damage = 2 } }
on.shooters.heals = 3
on.nets.then = "ignore"
on.anything = { then = "bounce", restitution = 0.5 }
[ability.plain]
firing.button = "plain"
launch.speed = 30
[target.wisp]
at = [5, 0]
group = "wisps"
[obstacle.net]
at = [8, 0]
shape.box = [0.2, 4]
group = "nets"
[obstacle.wall]
at = [12, 0]
shape.box = [0.2, 4]
group = "walls"
[case.tap]
ability = "rivet"
"""


class Matrix(unittest.TestCase):
    def test_each_cell_is_the_rule_that_decides_and_what_then_happens(self):
        drill = nivvo.parse(TEXT)
        cells = {(row["ability"], row["group"]): row for row in nivvo.touching(drill)}
        self.assertEqual(len(cells), 2 * 4)
        for (ability, group), then, rule in (
            (("rivet", "wisps"), "pass", "on.wisps"),
            (("rivet", "nets"), "ignore", "on.nets"),
            (("rivet", "walls"), "bounce", "on.anything"),
            (("plain", "walls"), "end", "default"),
        ):
            self.assertEqual((cells[ability, group]["then"], cells[ability, group]["rule"]), (then, rule))
        self.assertEqual(cells["rivet", "wisps"]["effects"], "blast")
        self.assertEqual(cells["rivet", "shooters"]["damage"], "heals 3")
        self.assertEqual(cells["rivet", "shooters"]["owner"], "once clear")
        run = nivvo.fire(drill)
        for row in run.rows("contacts"):
            self.assertEqual(row["then"], cells["rivet", row["group"]]["then"])
        self.assertEqual({row["ability"] for row in nivvo.touching(drill, "tap")}, {"rivet"})

    def test_the_command(self):
        import tempfile
        from pathlib import Path

        with tempfile.TemporaryDirectory() as folder:
            path, picture = Path(folder) / "a.toml", Path(folder) / "a.png"
            path.write_text(TEXT)
            code, out, _ = call("touches", path, "--figure", picture, "--format", "csv")
            self.assertEqual((code, len(out.splitlines())), (0, 9))
            self.assertGreater(picture.stat().st_size, 5000)
            self.assertEqual(call("touches", path, "--case", "tip")[0], 2)
