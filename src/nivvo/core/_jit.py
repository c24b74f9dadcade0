"""The only three decorators of the core, and the store of compiled kernels.

A function marked ``inner``, ``cold`` or ``kernel`` stays plain Python. A kernel is compiled when it is asked
for: each marked function that it reaches gets a compiled twin, so that one source serves both ways
and nothing imports Numba before it is needed.

Compiled code lives in a folder that is named by a hash of everything it was made from, and that
appears under that name only when it is whole. So an edited source, a killed process or several first
runs at once can never run stale or half-written code.
"""

from __future__ import annotations

import contextlib
import functools
import hashlib
import logging
import os
import pickle
import re
import shutil
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

# What reading a file of compiled code that is cut or changed ends in.
DAMAGED = (EOFError, pickle.UnpicklingError, ValueError, LookupError, AttributeError, ImportError, TypeError)

log = logging.getLogger("nivvo")

# Plain Python costs some 30 microseconds a projectile-tick; loading a stored kernel costs 0.4 s,
# compiling one some ten. Work is done plain until it would have paid for the other.
PLAIN = 30e-6
PLAIN_BEFORE_LOADING = 12_000
PLAIN_BEFORE_COMPILING = 300_000

KERNELS = re.compile(r"[\w-]+-[0-9a-f]{24}|making-\w+")
UNUSED = 60 * 86400.0
"""Seconds after which a stored kernel that nobody has loaded goes: it is of another version."""


def inner(function: Callable) -> Callable:
    """Mark a function that only other core functions call."""
    function.__nivvo__ = "inner"
    return function


def cold(function: Callable) -> Callable:
    """Mark a function that only other core functions call, seldom or long: a call, not a copy at each of its places."""
    function.__nivvo__ = "cold"
    return function


def kernel(function: Callable) -> Kernel:
    """Mark a function that the rest of the house calls: a front door of the core."""
    function.__nivvo__ = "kernel"
    return Kernel(function)


class Kernel:
    """A core function that runs plain or compiled, with the same bytes as a result."""

    def __init__(self, function: Callable):
        self.plain = function
        self.done_plain = 0.0
        self._compiled: Callable | None = None
        functools.update_wrapper(self, function)

    def __call__(self, *args: Any, work: int = 0) -> Any:
        """Run on ``args``; ``work`` is about how many projectile-ticks the call is reckoned to take."""
        if self._compiled is not None:
            return self._compiled(*args)
        if self._stay_plain(work):
            began = time.perf_counter()
            done = self.plain(*args)
            self.done_plain += max(work, (time.perf_counter() - began) / PLAIN)
            return done
        return self.compiled(*args)(*args)

    def _stay_plain(self, work: int) -> bool:
        mode = os.environ.get("NIVVO_COMPILE", "auto")
        if mode == "never" or (mode != "always" and work == 0):
            return True
        if mode == "always":
            return False
        total = self.done_plain + work
        if total <= PLAIN_BEFORE_LOADING:
            return True
        return total <= PLAIN_BEFORE_COMPILING and not self.stored()

    @property
    def loaded(self) -> bool:
        """Whether the compiled twin is in memory."""
        return self._compiled is not None

    def stored(self) -> bool:
        """Whether a compiled twin made from the present sources is in the store."""
        # What may not even be looked at is not there: no error, as it would be of a Path.
        return any(os.path.isdir(place / self._folder()) for place in places())  # noqa: PTH112

    def forget(self) -> None:
        """Drop the compiled twin from memory (the store keeps it)."""
        self._compiled, self.done_plain = None, 0.0
        if "nivvo.core._compiler" in sys.modules:
            sys.modules["nivvo.core._compiler"].forget()

    def compiled(self, *args: Any) -> Callable:
        """The compiled twin for arguments of the types of ``args``, from the store or made now."""
        if self._compiled is None:
            import numba

            if numba.config.DISABLE_JIT:
                return self.plain
            from nivvo.core import _compiler

            signature = _compiler.signature_of(args)
            what = self.plain, signature, fingerprint()
            load, make = functools.partial(_compiler.load, *what), functools.partial(_compiler.make, *what)
            self._compiled = self._taken(load, make)
        return self._compiled

    def _folder(self) -> str:
        return f"{self.__name__}-{fingerprint()}"

    def _taken(self, load: Callable[[Path], Callable | None], make: Callable[[Path | None], Callable]) -> Callable:
        """Take from the store, or compile into it; whatever is wrong with the store, compile in memory."""
        for place in places():
            with contextlib.suppress(OSError):
                place.mkdir(parents=True, exist_ok=True, mode=0o755)
                if not _mine(place):
                    continue
                final = place / self._folder()
                if final.is_dir() and (made := self._stored(load, final)) is not None:
                    return made
                if not os.access(place, os.W_OK):
                    continue
                with _lock(place / f"{self._folder()}.lock"):
                    if final.is_dir() and (made := self._stored(load, final)) is not None:
                        return made
                    staging = Path(tempfile.mkdtemp(prefix="making-", dir=place))
                    try:
                        self._announce(final)
                        made = make(staging)
                        with contextlib.suppress(OSError):
                            # What one has compiled, as root for an image, others may load.
                            staging.chmod(0o755)
                            staging.rename(final)
                            _tidy(place)
                        return made
                    finally:
                        shutil.rmtree(staging, ignore_errors=True)
        self._announce(None)
        return make(None)

    def _stored(self, load: Callable[[Path], Callable | None], final: Path) -> Callable | None:
        """The kernel from the store; None if what lies there is damaged, which is then taken away."""
        what = "incomplete"
        try:
            if (made := load(final)) is not None:
                with contextlib.suppress(OSError):
                    os.utime(final)
                return made
        except DAMAGED as error:
            what = type(error).__name__
        log.warning("nivvo: the stored %s kernel is damaged (%s) and is made anew", self.__name__, what)
        with contextlib.suppress(OSError):
            shutil.rmtree(final)
        return None

    def _announce(self, where: Path | None) -> None:
        kept = f"kept in {where.parent}" if where else "not kept: no folder for it can be written"
        log.warning("nivvo: compiling the %s kernel, once, some seconds (%s)", self.__name__, kept)


@functools.cache
def fingerprint() -> str:
    """A hash of all core sources, the compiler's and Python's versions, and the processor.

    It is asked before it is known whether anything is compiled: so the compiler itself, 0.3 s, is not imported for it.
    """
    from importlib.metadata import version

    import llvmlite.binding as llvm

    digest = hashlib.sha256()
    for part in (*map(version, ("numba", "llvmlite", "numpy")), sys.version):
        digest.update(part.encode() + b"\0")
    digest.update(llvm.get_host_cpu_name().encode() + llvm.get_host_cpu_features().flatten().encode())
    home = Path(__file__).parent
    for source in sorted(home.rglob("*.py")):
        digest.update(source.relative_to(home).as_posix().encode() + b"\0" + source.read_bytes() + b"\0")
    return digest.hexdigest()[:24]


@functools.cache
def places() -> tuple[Path, ...]:
    """Folders that may hold the store, best first."""
    if asked := os.environ.get("NIVVO_CACHE_DIR"):
        return (Path(asked),)
    from platformdirs import user_cache_path

    user = getattr(os, "getuid", lambda: "me")()
    return (
        Path(__file__).parent / "__kernels__",
        user_cache_path("nivvo") / "kernels",
        Path(tempfile.gettempdir()) / f"nivvo-kernels-{user}",
    )


def _tidy(place: Path) -> None:
    """Take away kernels that nobody has loaded for long, and what killed processes have left of theirs.

    Whatever else lies there stays: the folder may be anybody's.
    """
    for old in place.iterdir():
        if not KERNELS.fullmatch(old.name) or not old.is_dir() or time.time() - old.stat().st_mtime < UNUSED:
            continue
        if all(file.suffix in (".nbi", ".nbc") for file in old.iterdir()):
            for file in old.iterdir():
                file.unlink()
            old.rmdir()
            old.with_name(f"{old.name}.lock").unlink(missing_ok=True)


def _mine(place: Path) -> bool:
    """Whether nobody but this user (or root) can have laid code into ``place``."""
    if not hasattr(os, "getuid"):
        return True
    found = place.stat()
    return found.st_uid in (os.getuid(), 0) and not found.st_mode & 0o002


@contextlib.contextmanager
def _lock(path: Path) -> Iterator[None]:
    """Hold a file lock, so that of several first runs one compiles and the others wait for it."""
    with path.open("a") as file:
        with contextlib.suppress(ImportError, OSError):
            import fcntl

            fcntl.flock(file, fcntl.LOCK_EX)
        yield
