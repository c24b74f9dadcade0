"""Single shots by columns: each the same as one that is put into a world alone, at whatever speed they are flown."""

import unittest

import numpy as np

from nivvo.core import pool
from nivvo.core.flying.forces import acting
from nivvo.core.numbers import clock
from nivvo.core.world.study import BATCH, single_shots
from tests.core.arenas import arena, ball, crowd, events_of, floor, ticks
from tests.core.test_sleep import shots

G = np.array([0.0, -9.81, 0.0])


class Singles(unittest.TestCase):
    def test_each_ends_as_it_would_alone(self):
        rng = np.random.default_rng(2)
        blown = {"linear": 0.2, "wind": (3.0, 1.0, 0.0), "thrust": (20.0, 0.1, 0.7, pool.ON_LAUNCH)}
        for flat, moving, drag in ((True, 0.0, {}), (False, 0.3, {}), (True, 0.3, {"linear": 0.2}), (True, 0.3, blown)):
            world = arena(crowd(rng, 60, 30.0, flat, moving), flat=flat, scene=30.0, sampled=False)
            p, v = shots(rng, 50, 30.0, flat)
            radius, life = rng.uniform(0.05, 0.3, 50), (rng.uniform(0.3, 2.0, 50) * clock.UNITS).astype(np.int64)
            acts = acting(G, **drag)
            found = single_shots(world, acts, p, v, radius=radius, life=life, ticks=(60.0, 180))
            for k in range(50):
                alone = world.fresh(False)
                alone.put(alone.new_params(acts, radius[k], life=int(life[k])), p[k], v[k], k, 0)
                alone.run(ticks(180))
                end = events_of(alone)[-1]
                self.assertEqual(found.time[k], end["start"] / clock.UNITS + end["after"])
                self.assertEqual((found.code[k], found.body[k]), (end["code"], end["body"]))
                self.assertEqual((found.p[k].tobytes(), found.v[k].tobytes()), (end["p"].tobytes(), end["v"].tobytes()))

    def test_they_do_not_meet_each_other_hurt_no_body_and_leave_the_world_as_it_was(self):
        world = arena([ball((5, 0, 0), health=1.0)], sampled=False)
        before = world.bodies.tobytes()
        found = single_shots(world, np.zeros(3), np.zeros((9, 3)), np.tile((10.0, 0, 0), (9, 1)))
        self.assertTrue((found.body == 0).all())
        np.testing.assert_allclose(found.time, 0.44, atol=1e-12)
        self.assertEqual(world.bodies.tobytes(), before)

    def test_bodies_that_turn_are_refused(self):
        world = arena([ball((5, 0, 0))], sampled=False)
        world.bodies["turns"] = 1.0
        with self.assertRaisesRegex(ValueError, "turn"):
            single_shots(world, np.zeros(3), np.zeros((1, 3)), [(10.0, 0, 0)])

    def test_batches_make_no_difference_and_throws_land_where_the_formula_says(self):
        count = BATCH + 700
        angles = np.radians(np.linspace(5, 85, count))
        v = 20.0 * np.stack([np.cos(angles), np.sin(angles), 0 * angles], axis=1)
        world = arena([floor()], scene=50.0, sampled=False)
        found = single_shots(world, G, np.tile((0.0, 0.1, 0.0), (count, 1)), v)
        self.assertTrue((found.code == pool.BY_CONTACT).all())
        np.testing.assert_allclose(found.p[:, 0], 400.0 * np.sin(2 * angles) / 9.81, rtol=1e-12)
        turned = np.random.default_rng(0).permutation(count)
        other = single_shots(world, G, np.tile((0.0, 0.1, 0.0), (count, 1)), v[turned])
        self.assertEqual(other.p.tobytes(), found.p[turned].tobytes())

    def test_what_passes_counts_its_contacts_and_what_flies_on_is_where_it_should_be(self):
        world = arena([ball((x, 0, 0), key=k) for k, x in enumerate((3.0, 6.0, 9.0))], sampled=False)
        found = single_shots(
            world, np.zeros(3), [(0, 0, 0), (0, 5, 0)], [(10, 0, 0), (10, 0, 0)], then=pool.PASS, ticks=(60.0, 60)
        )
        self.assertEqual((found.contacts.tolist(), found.code.tolist()), ([3, 0], [pool.FLYING] * 2))
        np.testing.assert_allclose(found.p, [(10, 0, 0), (10, 5, 0)], atol=1e-12)


if __name__ == "__main__":
    unittest.main()
