"""Calling the command line inside the test's own process."""

import contextlib
import io
import os
from pathlib import Path

from nivvo.cli import main


def call(*args, folder=None):
    """Exit code, stdout and stderr of ``nivvo ARGS``, run in ``folder`` if one is given."""
    out, err = io.StringIO(), io.StringIO()
    before = Path.cwd()
    if folder:
        os.chdir(folder)
    try:
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            try:
                main([str(arg) for arg in args])
            except SystemExit as stop:
                return int(stop.code or 0), out.getvalue(), err.getvalue()
    finally:
        os.chdir(before)
    raise AssertionError("main returns only by exit")
