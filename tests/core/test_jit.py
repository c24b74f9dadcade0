"""The store of compiled kernels: never stale, never half-written, usable by many first runs at once."""

import os
import shutil
import signal
import stat
import subprocess
import sys
import tempfile
import textwrap
import time
import unittest
from pathlib import Path

import nivvo.core._jit as jit

KERNELS = """
from tiny._jit import inner, kernel
from tiny.constants import FACTOR

@inner
def scaled(x):
    return x * FACTOR

@kernel
def total(xs):
    s = 0.0
    for k in range(xs.shape[0]):
        s += scaled(xs[k])
    return s
"""

RUN = """
import sys, numpy as np
from tiny.kernels import total
xs = np.arange(5.0)
print(total(xs, work=1), total.plain(xs), total.loaded)
"""


class Store(unittest.TestCase):
    """A small package with the same ``_jit`` compiles in about a second."""

    def setUp(self):
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder)
        package = self.folder / "tiny"
        package.mkdir()
        (package / "__init__.py").write_text("")
        for name in ("_jit.py", "_compiler.py"):
            text = Path(jit.__file__).with_name(name).read_text()
            (package / name).write_text(text.replace("nivvo.core", "tiny"))
        (package / "kernels.py").write_text(KERNELS)
        (package / "constants.py").write_text("FACTOR = 2.0\n")
        self.package = package
        self.store = self.folder / "store"
        self.environment = {**os.environ, "NIVVO_COMPILE": "always", "NIVVO_CACHE_DIR": str(self.store)}
        # What Python keeps of a source it takes for that of another of the same size and age.
        self.environment["PYTHONDONTWRITEBYTECODE"] = "1"

    def start(self, run=RUN, **environment):
        return subprocess.Popen(
            [sys.executable, "-c", run],
            cwd=self.folder,
            env={**self.environment, **environment},
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
        )

    def run_once(self, run=RUN, **environment):
        process = self.start(run, **environment)
        out, err = process.communicate(timeout=120)
        self.assertEqual(process.returncode, 0, err)
        return out.split(), err

    def test_compiles_once_says_so_and_loads_afterwards(self):
        first, said = self.run_once()
        self.assertEqual(first, ["20.0", "20.0", "True"])
        self.assertEqual(said.count("compiling the total kernel"), 1)
        again, said = self.run_once()
        self.assertEqual(again, first)
        self.assertEqual(said, "")

    def test_what_one_has_compiled_others_may_load_and_what_they_may_not_see_is_not_there(self):
        found, _ = self.run_once(
            "import os\nos.umask(0o022)\nimport numpy as np\nfrom tiny.kernels import total\n"
            "total(np.arange(3.0), work=1)\nprint(total.stored())\n"
            f"os.chmod({str(self.folder)!r}, 0)\nos.getuid() or os.setuid(65534)\nprint(total.stored())"
        )
        self.folder.chmod(0o700)
        self.assertEqual(found, ["True", "False"])
        for folder in (self.store, *(path for path in self.store.iterdir() if path.is_dir())):
            self.assertEqual(stat.S_IMODE(folder.stat().st_mode), 0o755)
            self.assertTrue(all(file.stat().st_mode & 0o044 == 0o044 for file in folder.iterdir()))

    def test_what_nobody_has_loaded_for_long_goes_and_nothing_else(self):
        old, new, own = "total-" + 24 * "0", "total-" + 24 * "1", "total-" + 24 * "2"
        ages = {old: 61, "making-left": 61, new: 59, "photos": 99, own: 99}
        for name, days in ages.items():
            (self.store / name).mkdir(parents=True, mode=0o700)
            (self.store / name / ("my.txt" if name == own else "a.nbi")).touch()
            os.utime(self.store / name, 2 * (time.time() - 86400 * days,))
            (self.store / f"{name}.lock").touch()
        self.store.chmod(0o700)
        self.run_once()
        kept = {path.name for path in self.store.iterdir() if "-" in path.name}
        self.assertEqual({name for name in kept if not name.endswith(".lock")} & set(ages), {new, own})
        self.assertTrue((self.store / "photos").exists())
        self.assertNotIn(f"{old}.lock", kept)
        made = next(path for path in self.store.iterdir() if path.is_dir() and path.name not in ages)
        os.utime(made, (0, 0))
        self.run_once()
        self.assertGreater(made.stat().st_mtime, time.time() - 60)

    def test_an_edited_callee_or_constant_never_runs_stale(self):
        self.run_once()
        stamp = (self.package / "constants.py").stat()
        (self.package / "constants.py").write_text("FACTOR = 3.0\n")
        os.utime(self.package / "constants.py", (stamp.st_atime, stamp.st_mtime))
        self.assertEqual(self.run_once()[0][:2], ["30.0", "30.0"])
        text = (self.package / "kernels.py").read_text()
        (self.package / "kernels.py").write_text(text.replace("x * FACTOR", "x + FACTOR"))
        self.assertEqual(self.run_once()[0][:2], ["25.0", "25.0"])

    def test_a_killed_first_run_leaves_nothing_that_another_would_trust(self):
        for delay in (0.4, 0.7, 1.0, 1.3):
            process = self.start()
            time.sleep(delay)
            process.send_signal(signal.SIGKILL)
            process.communicate()
        self.assertEqual(self.run_once()[0][:2], ["20.0", "20.0"])
        whole = [entry for entry in self.store.iterdir() if entry.name.startswith("total-") and entry.is_dir()]
        self.assertEqual(len(whole), 1)

    def test_six_first_runs_at_once_all_answer_right_and_one_compiles(self):
        processes = [self.start() for _ in range(6)]
        results = [process.communicate(timeout=240) for process in processes]
        for out, err in results:
            self.assertEqual(out.split()[:2], ["20.0", "20.0"], err)
        self.assertEqual(sum(err.count("compiling") for _, err in results), 1)
        self.assertEqual([e.name for e in self.store.iterdir() if e.name.startswith("making-")], [])

    def test_a_package_folder_that_cannot_be_written_is_passed_over_for_the_next(self):
        patch = "import tiny._jit as j; from pathlib import Path\n"
        patch += f"j.places = lambda: (Path('/proc/no'), Path({str(self.store)!r}))"
        for compiled in (1, 0):
            done = subprocess.run(
                [sys.executable, "-c", patch + RUN],
                cwd=self.folder,
                env=self.environment,
                capture_output=True,
                text=True,
                check=True,
            )
            self.assertEqual(done.stdout.split(), ["20.0", "20.0", "True"])
            self.assertEqual(done.stderr.count(f"kept in {self.store}"), compiled)

    def test_without_a_folder_to_write_it_compiles_in_memory(self):
        (self.folder / "file").write_text("")
        out, said = self.run_once(NIVVO_CACHE_DIR=str(self.folder / "file" / "below"))
        self.assertEqual(out, ["20.0", "20.0", "True"])
        self.assertIn("not kept", said)

    @unittest.skipUnless(hasattr(os, "getuid"), "needs file owners")
    def test_a_folder_that_others_can_write_is_not_trusted(self):
        self.store.mkdir()
        self.store.chmod(0o777)
        _, said = self.run_once()
        self.assertIn("not kept", said)


class Policy(unittest.TestCase):
    def test_small_work_stays_plain_and_imports_no_compiler(self):
        code = """
            import sys, nivvo
            drill = nivvo.parse("nivvo = 1\\n[ability.a]\\nlaunch.speed = 9")
            nivvo.fire(drill)
            print("numba" in sys.modules)
        """
        environment = {k: v for k, v in os.environ.items() if k != "NIVVO_COMPILE"}
        out = subprocess.run(
            [sys.executable, "-c", textwrap.dedent(code)], capture_output=True, text=True, env=environment, check=True
        )
        self.assertEqual(out.stdout.strip(), "False")
