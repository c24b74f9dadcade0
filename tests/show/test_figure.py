"""Figures: the right way up, nothing outside, what is drawn is what happened."""

import itertools
import math
import unittest
from pathlib import Path

import numpy as np

import nivvo
from nivvo.plan.case import scene_of
from nivvo.show.drawing.canvas import new_figure
from nivvo.show.drawing.fan import draw_fan
from nivvo.show.drawing.figure import views
from nivvo.show.drawing.outline import flat, half_plane, hull, outline
from nivvo.show.drawing.sight import preview_of
from tests.play.drills import drill

DEMO = Path(nivvo.__file__).parent / "demo"


class Figures(unittest.TestCase):
    def drawn(self, made, case=None):
        run = nivvo.fire(made, case)
        figure = new_figure(len(views(run)))
        nivvo.draw(run, figure.axes if len(figure.axes) > 1 else figure.axes[0], preview_of(run))
        figure.canvas.draw()
        return run, figure

    def test_up_is_up_in_every_world(self):
        for world, upward in (('y = "up"', True), ('y = "down"', False)):
            _, figure = self.drawn(drill(world=world, shooter="at = [0, 5]" if upward else "at = [0, -5]"))
            low, high = figure.axes[0].get_ylim()
            self.assertEqual(low < high, upward)
        _, figure = self.drawn(nivvo.load(DEMO / "deck.toml"))
        self.assertGreater(*figure.axes[0].get_ylim())

    def test_from_above_no_world_is_mirrored(self):
        # With the eye up there a turn to the right is one on the page.
        worlds = [f'view = "top"\nheight = true\ny = "{y}"' for y in ("up", "down")]
        worlds += [f'view = "space"\nup = "{up}"\nforward = "{forward}"\nhand = "{hand}"'
                   for up, forward in (("+z", "+x"), ("+y", "+z"), ("-z", "+y"), ("+x", "-y"), ("-y", "-x"))
                   for hand in ("right", "left")]  # fmt: skip
        for world in worlds:
            text = f"nivvo = 1\n[world]\n{world}\n[ability.flare]\nlaunch = {{ speed = 5, elevation = 30 }}\n"
            run, figure = self.drawn(nivvo.parse(text))
            ahead, right, _ = run.scene.frame.triad(run.scene.frame.forward, run.scene.frame.forward)
            side, view = views(run)
            row = run.scene.bodies[0].copy()
            for sign in (1.0, -1.0):
                # Whoever flies to the right of the page has the reader at his right.
                row["c0"] = side.through + sign * 3.0 * right
                self.assertEqual(side.off(row) < 0.0, sign > 0.0, world)
            ways = [figure.axes[-1].transData.transform(flat(way, view.across, view.upward)) for way in (ahead, right)]
            (a, b), (c, d) = (way - figure.axes[-1].transData.transform((0.0, 0.0)) for way in ways)
            self.assertLess(a * d - b * c, 0.0, world)

    def test_how_far_a_body_is_off_the_plane_is_told_of_its_nearest_corner(self):
        ring, text = np.array([[0, 0], [2, 0], [2.5, 1.5], [0.5, 2]]), "nivvo = 1\nworld.view = 'space'\n"
        for turned in range(0, 360, 25):
            shape = f"shape = {{{{ polygon = {ring.tolist()}, tall = 2, turned = {turned} }}}}\n"
            shed = "[obstacle.shed]\nat = [6, {}, 0]\n" + shape
            for y in (4.0, -4.0):
                run = nivvo.fire(nivvo.parse(text + "[ability.flare]\nlaunch.speed = 9\n" + shed.format(y)))
                side, s, c = views(run)[0], math.sin(math.radians(turned)), math.cos(math.radians(turned))
                off = side.off(run.scene.bodies[run.scene.number["shed"]])
                self.assertAlmostEqual(off, min(y + ring @ [s, c], key=abs), places=9)

    def test_what_turns_and_its_rings_are_drawn_as_they_stood_when_touched(self):
        text = (
            "nivvo = 1\n[target.board]\nat = [8, 0.5]\nshape.box = [0.3, 3]\nspot = [0, 0.4]\nturns = 30\n"
            "[ability.flare]\nlaunch.speed = 20\non.targets.score = { points = 1, rings = [[0.5, 5], [0.9, 2]] }\n"
            "[case.tap]\ninput = [{ t = 0.4, tap = 'fire' }]\n"
        )
        run, figure = self.drawn(nivvo.parse(text))
        touch, ax = run.rows("contacts")[0], figure.axes[0]
        (x, y), angle = (touch["x"], touch["y"]), math.radians(30 * touch["time"])
        drawn = [line for one in ax.collections if hasattr(one, "get_segments") for line in one.get_segments()]
        edges = [edge for line in drawn if (line[0] == line[-1]).all() for edge in itertools.pairwise(line)]
        off = [abs((b - a)[0] * (y - a[1]) - (b - a)[1] * (x - a[0])) / math.hypot(*(b - a)) for a, b in edges]
        self.assertLess(min(off), 1e-6)
        spot = np.array([8 - 0.4 * math.sin(angle), 0.5 + 0.4 * math.cos(angle)])
        along = np.array([-math.sin(angle), math.cos(angle)])
        ticks = [line.get_xydata().mean(axis=0) for line in ax.lines if len(line.get_xydata()) == 2]
        offs = sorted(float((tick - spot) @ along) for tick in ticks if abs((tick - spot) @ along) < 1)
        self.assertTrue(all(min(abs(off - wanted) for off in offs) < 1e-6 for wanted in (-0.9, -0.5, 0.5, 0.9)), offs)

    def test_no_launch_flies_beyond_the_reach_that_is_drawn_and_some_come_up_to_it(self):
        """Through drag and wind, from whoever walks, up, down and in space."""
        scenes = (
            ("", [6, 2], ""), ('world.y = "down"', [3, 1], "flight.drag.linear = 0.2"),
            ("world.wind = [-8, 0]", [2, 0], "flight.drag.linear = 0.4"), ('world.view = "space"', [4, 1, 0], ""),
            ("", [0, 0], ""),
        )  # fmt: skip
        for world, moves, drag in scenes:
            level = [0.0] * len(moves)
            text = (
                f"nivvo = 1\n{world}\n[shooter.keeper]\nmove.velocity = {moves}\n"
                "muzzle.hand = { forward = 0.6, follows = 'body' }\n[ability.flare]\nlaunch.speed = 18\n"
                f"inherit_velocity = 1\nhits_owner = 'never'\nlimits.life = 20\n{drag}\n[case.tap]\n"
            )
            made = nivvo.parse(text)
            found = nivvo.solve(made, to=[9.0, *level[1:]])
            figure = new_figure(1)
            draw_fan(found, figure.axes[0])
            (edge,) = (line for line in figure.axes[0].lines if str(line.get_label()).startswith("reach"))
            edge, frame = edge.get_xydata() * (1.0, -1.0 if "down" in world else 1.0), found[0].run.scene.frame
            least = np.full(len(edge), np.inf)
            for elevation in np.linspace(1.0, 89.0, 89):
                run = nivvo.fire(made.with_settings({"ability.flare.launch.elevation": float(elevation)}))
                path = run.flight(run.id_of(run.fired[0])).line(np.linspace(0.0, 6.0, 2000))
                x, y = path @ frame.forward, path @ frame.up
                seen = (x >= edge[0, 0]) & (x <= edge[-1, 0])
                self.assertTrue((y[seen] <= np.interp(x[seen], *edge.T) + 0.02).all(), (world, elevation))
                ahead = slice(int(np.argmax(x)) + 1)
                least = np.minimum(least, edge[:, 1] - np.interp(edge[:, 0], x[ahead], y[ahead], right=-np.inf))
            # What leaves backward comes nearer to it close by.
            far = least[(edge[:, 1] > 0.0) & (edge[:, 0] > 0.6 * edge[-1, 0]) & (edge[:, 0] < 0.97 * edge[-1, 0])]
            self.assertGreater(len(far), 20)
            self.assertLess(far.max(), 0.05, world)

    def test_a_sight_that_meets_nothing_leaves_the_scene_as_large_as_it_is(self):
        text = "nivvo = 1\nworld.view = 'space'\n[ability.flare]\naim.by = 'sight'\nlaunch.speed = 20\n"
        text += "limits.life = 0.5\n[target.wisp]\nat = [12, 1, 2]\n"
        _, figure = self.drawn(
            nivvo.parse(text + "[case.c]\ninput = [{ t = 0, look = [0, 10] }, { t = 0, tap = 'fire' }]")
        )
        for ax in figure.axes:
            self.assertLess(np.ptp(ax.get_xlim()), 60.0)
        legends = [ax.get_legend() for ax in figure.axes if ax.get_legend() is not None]
        self.assertNotIn("aim point", [word.get_text() for legend in legends for word in legend.get_texts()])

    def test_all_flights_touches_and_targets_are_inside_the_picture(self):
        for name in ("quay", "deck", "breakwater"):
            made = nivvo.load(DEMO / f"{name}.toml")
            for case in made.cases:
                run, figure = self.drawn(made, case)
                for ax, view in zip(figure.axes, views(run), strict=True):
                    x, y = sorted(ax.get_xlim()), sorted(ax.get_ylim())
                    points = np.concatenate([run.flight(p).p for p in run.ids.values()])
                    across, upward = points @ view.across, points @ view.upward
                    self.assertTrue(x[0] <= across.min() and across.max() <= x[1], f"{name} {case}")
                    self.assertTrue(y[0] <= upward.min() and upward.max() <= y[1], f"{name} {case}")

    def test_the_axes_are_labelled_with_units_and_no_words_overlap(self):
        for name, case in (("quay", "lantern"), ("deck", "three_taps"), ("breakwater", "over_the_blocks")):
            run, figure = self.drawn(nivvo.load(DEMO / f"{name}.toml"), case)
            unit = run.scene.unit
            for ax in figure.axes:
                self.assertIn(f"({unit})", ax.get_xlabel())
                self.assertIn(f"({unit})", ax.get_ylabel())
                boxes = [t.get_window_extent() for t in ax.texts if t.get_text()]
                for k, box in enumerate(boxes):
                    for other in boxes[k + 1 :]:
                        self.assertFalse(box.overlaps(other), f"{name}: {[t.get_text() for t in ax.texts]}")

    def test_it_draws_on_axes_that_are_given_and_says_how_many_it_needs(self):
        run = nivvo.fire(drill())
        ax = new_figure(1).axes[0]
        self.assertIs(nivvo.draw(run, ax), ax)
        with self.assertRaises(nivvo.CallError):
            nivvo.draw(nivvo.fire(nivvo.load(DEMO / "breakwater.toml")), ax)

    def test_who_pushes_is_drawn_till_what_he_pushed_lies_still(self):
        run, figure = self.drawn(
            nivvo.parse("""nivvo = 1
[shooter.keeper]
at = [0, 0.5]
shape.box = [0.4, 1]
walk.speed = 3
[obstacle.quay]
shape.half_space = "up"
[target.keg]
at = [2, 0.4]
shape.box = [0.8, 0.8]
mass = 6
[ability.bolt]
launch.speed = 20
aim = { by = "fixed", direction = 60 }
limits.life = 0.2
[case.push]
input = [{ t = 0, walk = [1, 0] }, { t = 0, tap = "fire" }, { t = 1.5, walk = [0, 0] }]
""")
        )
        ends = [way.vertices[:, 0].max() for lines in figure.axes[0].collections for way in lines.get_paths()]
        keeper, keg = (run.stage.motions[run.scene.number[name]].seen(3.0)[0][0] for name in ("keeper", "keg"))
        self.assertAlmostEqual(keeper, 4.5, delta=1e-6)
        for right in (keeper + 0.2, keg + 0.4):
            self.assertLess(np.abs(np.array(ends) - right).min(), 1e-6)

    def test_a_run_without_a_shot_is_drawn_too(self):
        self.drawn(drill(case="input = [{ t = 0, cursor = [1, 1] }]"))


class Outlines(unittest.TestCase):
    def test_an_outline_is_where_the_distance_is_zero(self):
        scene = scene_of(nivvo.load(DEMO / "quay.toml"), "flare")
        from nivvo.core.geometry.shapes import gap

        for row, name in zip(scene.bodies, scene.names, strict=True):
            if name == "quay":
                continue
            edge = outline(row, row["c0"], np.array([1.0, 0, 0]), np.array([0.0, 1, 0]))
            points = np.concatenate([edge, np.zeros((len(edge), 1))], axis=1)
            np.testing.assert_allclose(gap(row, points), 0.0, atol=1e-9, err_msg=name)

    def test_a_hull_holds_all_points_and_turns_one_way(self):
        rng = np.random.default_rng(0)
        points = rng.normal(size=(200, 2))
        edge = hull(points)
        after = np.roll(edge, -1, axis=0)
        for p in points:
            cross = (after - edge)[:, 0] * (p - edge)[:, 1] - (after - edge)[:, 1] * (p - edge)[:, 0]
            self.assertGreaterEqual(cross.min(), -1e-9)

    def test_a_half_plane_is_cut_to_the_picture(self):
        part = half_plane(np.array([0.0, 1.0]), np.array([0.0, 1.0]), np.array([0.0, 0.0]), np.array([4.0, 3.0]))
        self.assertEqual({tuple(p) for p in part}, {(0.0, 0.0), (4.0, 0.0), (4.0, 1.0), (0.0, 1.0)})
