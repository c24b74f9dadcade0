"""What calls give back: one line in a shell, a pandas table, and a table in a notebook."""

import unittest
from html.parser import HTMLParser
from pathlib import Path

import nivvo

DEMO = Path(nivvo.__file__).parent / "demo"


class Heads(HTMLParser):
    """The words of a page's column heads and how many rows follow them."""

    def __init__(self, text):
        super().__init__()
        self.heads, self.rows, self._in = [], 0, ""
        self.feed(text)

    def handle_starttag(self, tag, attrs):
        self._in, self.rows = tag, self.rows + (tag == "tr")

    def handle_data(self, data):
        if self._in == "th" and data.strip():
            self.heads.append(data)


class Shown(unittest.TestCase):
    def test_every_result_has_one_line_a_table_and_a_page(self):
        quay, jetty = nivvo.load(DEMO / "quay.toml"), nivvo.load(DEMO / "jetty.toml")
        run, live = nivvo.fire(quay), nivvo.Live(quay, compiled=False)
        live.tap("flare")
        live.step()
        many = {"solve": nivvo.solve(quay), "check": nivvo.check(quay), "explain": nivvo.explain(quay),
                "touching": nivvo.touching(quay), "keys": nivvo.keys("aim")}  # fmt: skip
        single = {"drill": quay, "run": run, "live": live, "flight": run.flight("flare-1"), "rose": nivvo.rose(quay),
                  "preview": nivvo.preview(quay), "plain": nivvo.plain_preview(quay),
                  "clearance": nivvo.clearance(quay), "hold": nivvo.hold_table(jetty, "tap_and_hold"),
                  "rates": nivvo.rate_table(quay, rates=[30, 60])}  # fmt: skip
        for name, one in {**many, **single}.items():
            with self.subTest(name):
                table = one.table()
                self.assertGreater(len(table), 0)
                page = Heads(one._repr_html_())
                self.assertEqual(page.heads, list(table.columns))
                if len(table) <= 60:
                    self.assertEqual(page.rows, len(table) + 1)
        for name, one in single.items():
            with self.subTest(name):
                self.assertNotIn("\n", repr(one))
                self.assertLess(len(repr(one)), 120)
                self.assertNotIn(str(DEMO), repr(one))
        for one in many["solve"] + many["check"]:
            self.assertLess(len(repr(one)), 120)

    def test_tables_hold_what_the_results_do(self):
        quay = nivvo.load(DEMO / "quay.toml")
        found, dots, run = nivvo.solve(quay), nivvo.preview(quay), nivvo.fire(quay)
        self.assertEqual(found.table()["speed"].tolist(), [one.speed for one in found])
        self.assertEqual(dots.table()[["x", "y"]].to_numpy().tolist(), dots.points.tolist())
        self.assertEqual(nivvo.check(quay).table()["passed"].tolist(), [one.passed for one in nivvo.check(quay)])
        path = run.flight("flare-1")
        self.assertEqual(path.table()[["x", "y", "z"]].to_numpy().tolist(), path.p.tolist())
        self.assertEqual(run.table().to_dict(), run.projectiles.to_dict())


if __name__ == "__main__":
    unittest.main()
