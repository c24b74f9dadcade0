"""Files as they come and go: read with a bound, written whole or not at all."""

from __future__ import annotations

import contextlib
import csv
import os
import shutil
import stat
import tempfile
from collections.abc import Callable, Iterator
from functools import cache
from pathlib import Path

from nivvo.errors import CallError, OutputError

MOST_BULK = 32_000_000
"""Bytes that a track, a sheet or a list of frame times may have."""

MAKING = ".making-"
_NO_NAME = "not a name that a file can have"


class Unreadable(ValueError):
    """A file cannot be read; says why in words."""


def read_bytes(path: Path, most: int) -> bytes:
    """What a regular file holds. Raises Unreadable: no such file, a folder, a device, too large, not allowed."""
    try:
        found = path.stat()
        if stat.S_ISDIR(found.st_mode):
            raise Unreadable("this is a folder, not a file")
        if not stat.S_ISREG(found.st_mode):
            raise Unreadable("this is not an ordinary file")
        with path.open("rb") as file:
            data = file.read(most + 1)
    except FileNotFoundError:
        raise Unreadable("there is no such file") from None
    except (OSError, ValueError, RuntimeError) as error:
        if isinstance(error, Unreadable):
            raise
        raise Unreadable(f"cannot be read: {reason_of(error)}") from None
    if len(data) > most:
        raise Unreadable(f"is larger than {most:,} bytes")
    return data


def read_text(path: Path, most: int = MOST_BULK) -> str:
    """What a UTF-8 file holds. Raises Unreadable."""
    data = read_bytes(path, most)
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        raise Unreadable(f"is not UTF-8 text (line {line}, byte 0x{data[error.start]:02x})") from None


def rows_of_csv(path: Path) -> Iterator[tuple[int, list[str]]]:
    """The rows of a CSV file that have something in them, with the line on which each ends. Raises Unreadable."""
    text = read_text(path)
    rows = csv.reader(text.splitlines(keepends=True), strict=True)
    while True:
        try:
            row = next(rows, None)
        except csv.Error as error:
            says = "a quote is never closed" if "unexpected end" in str(error) else str(error)
            raise Unreadable(f"is not CSV (line {rows.line_num}: {says})") from None
        if row is None:
            return
        row = [cell.strip() for cell in row]
        if any(row):
            yield rows.line_num, row


def reason_of(error: Exception) -> str:
    """Why the system refused a file, in words."""
    if isinstance(error, RuntimeError):
        return "too many levels of symbolic links"
    return (getattr(error, "strerror", None) or _NO_NAME).lower()


def real_path(path: Path) -> Path:
    """A path with all links followed. Raises Unreadable."""
    try:
        return path.resolve()
    except (OSError, ValueError, RuntimeError) as error:
        raise Unreadable(f"cannot be read: {reason_of(error)}") from None


def nearest_file(path: Path) -> str:
    """A hint that names a file near to one that is not there, or ""."""
    import difflib

    try:
        names = [
            entry.name for entry in path.parent.iterdir() if entry.suffix in (path.suffix, ".toml") or not path.suffix
        ]
    except (OSError, ValueError):
        return ""
    near = difflib.get_close_matches(path.name, names, 1, 0.5)
    return f"did you mean {path.parent / near[0]}?" if near else ""


def path_of(name: object, what: str = "path") -> Path:
    """A path that was given to a call. Raises CallError for what is none."""
    if not isinstance(name, (str, os.PathLike)):
        raise CallError(f"{what} is a file name, not {type(name).__name__}")
    path = Path(name)
    if "\0" in str(path) or not str(name):
        raise CallError(f"{what}: {_NO_NAME}: {str(path)[:60]!r}")
    return path


def write_whole(path: str | os.PathLike, write: Callable[[Path], None]) -> Path:
    """Let ``write`` fill a temporary file beside ``path`` and move it there only when it is whole.

    Links are followed, an old file's mode is kept, a new one's is what the user's mask leaves. What is no ordinary
    file (a device, a pipe) is written through and stays what it is. Raises OutputError with the reason.
    """
    path = path_of(path)
    try:
        target = Path(os.path.realpath(path))
        old = target.stat() if target.exists() else None
        if old is not None and stat.S_ISDIR(old.st_mode):
            raise OutputError(f"{path} cannot be written: it is a folder")
        if old is not None and not stat.S_ISREG(old.st_mode):
            _write_through(target, write, path.suffix)
            return path
        if old is not None and not old.st_mode & 0o222:
            raise OutputError(f"{path} cannot be written: it is write-protected (mode {old.st_mode & 0o777:04o})")
        target.parent.mkdir(parents=True, exist_ok=True)
        _clean(target.parent)
        made = target.parent / f"{MAKING}{os.getpid()}-{os.urandom(6).hex()}{path.suffix}"
        # Created under the user's own mask, and so that nobody else's file can be meant.
        os.close(os.open(made, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o666))
        try:
            write(made)
            if old is not None:
                made.chmod(stat.S_IMODE(old.st_mode))
                with contextlib.suppress(OSError):
                    os.chown(made, old.st_uid, old.st_gid)
            made.replace(target)
        finally:
            made.unlink(missing_ok=True)
    except (OSError, ValueError, RuntimeError) as error:
        raise OutputError(f"{path} cannot be written: {reason_of(error)}") from None
    return path


def write_text(path: str | os.PathLike, text: str) -> Path:
    """Write a text file, whole or not at all; one that holds this text is only touched. Raises OutputError."""
    data = text.encode()
    with contextlib.suppress(Unreadable, OSError):
        if (old := path_of(path)).stat().st_size == len(data) and read_bytes(old, len(data)) == data:
            old.touch()
            return old
    return write_whole(path, lambda made: made.write_bytes(data))


def _write_through(target: Path, write: Callable[[Path], None], suffix: str) -> None:
    """Make the file elsewhere, then pour it into what ``target`` is."""
    with tempfile.TemporaryDirectory() as folder:
        made = Path(folder) / f"made{suffix}"
        write(made)
        # A pipe that nobody reads says so in place of waiting for ever.
        handle = os.open(target, os.O_WRONLY | getattr(os, "O_NONBLOCK", 0))
        os.set_blocking(handle, True)
        with os.fdopen(handle, "wb") as out, made.open("rb") as source:
            shutil.copyfileobj(source, out)


@cache
def _clean(folder: Path) -> None:
    """Take away what killed runs have left half-made in a folder; once a process."""
    for entry in folder.glob(f"{MAKING}*"):
        owner = entry.name.removeprefix(MAKING).partition("-")[0]
        if owner.isdecimal() and not _lives(int(owner)):
            with contextlib.suppress(OSError):
                entry.unlink()


def _lives(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (OSError, OverflowError):
        return True
    return True
