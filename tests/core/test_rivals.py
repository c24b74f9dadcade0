"""The engine beside the C loop that it is timed against, which knows its records by name: the same events."""

import shutil
import unittest

from benchmarks.__main__ import compare_events, once_c, once_nivvo
from benchmarks.rivals import CLoop
from benchmarks.scenes import obstacles, ticks


@unittest.skipUnless(shutil.which("gcc"), "needs a C compiler")
class Rivals(unittest.TestCase):
    def test_both_touch_the_same_at_the_same_time_awake_or_asleep(self):
        loop, rows = CLoop(), ticks(120)
        self.addCleanup(loop.folder.cleanup)
        for number in (10, 200):
            bodies, side = obstacles(number)
            mine = once_nivvo(bodies, side, 300, rows)[2]
            self.assertGreater(len(mine), 300)
            for asleep in (False, True):
                theirs = once_c(loop, bodies, side, 300, rows, asleep)[2]
                self.assertEqual(compare_events(mine, theirs), "yes, times within 0.0e+00 s")


if __name__ == "__main__":
    unittest.main()
