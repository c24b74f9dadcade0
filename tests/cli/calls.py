"""Calling the command line inside the test's own process."""

import contextlib
import io
import os
import sys
from pathlib import Path
from unittest import mock

from nivvo.cli import main


def _written(stream):
    stream.flush()
    return stream.buffer.getvalue().decode()


def call(*args, folder=None, stdin=""):
    """Exit code, stdout and stderr of ``nivvo ARGS``, run in ``folder`` if one is given, with a text on stdin."""
    out, err = (io.TextIOWrapper(io.BytesIO(), "utf-8", newline="") for _ in range(2))
    before = Path.cwd()
    typed = io.TextIOWrapper(io.BytesIO(stdin.encode()))
    if folder:
        os.chdir(folder)
    try:
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err), mock.patch.object(sys, "stdin", typed):
            try:
                main([str(arg) for arg in args])
            except SystemExit as stop:
                return int(stop.code or 0), *(_written(stream) for stream in (out, err))
    finally:
        os.chdir(before)
    raise AssertionError("main returns only by exit")
