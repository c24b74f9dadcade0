"""The command line: parse, call, print. Commands are loaded when they are called."""

from __future__ import annotations

import gc
import importlib
import io
import os
import sys
from typing import Any

import click

COMMANDS = {
    "demo": "Fire the demo drills; write figures and tables to a folder.",
    "new": "Write a small drill file to start from.",
    "fire": "Fire a case and tell what happened.",
    "check": "Fire cases and judge their checks; exit 1 if one fails.",
    "solve": "Find the launches that reach a point.",
    "touches": "Tell who touches whom, and what follows.",
    "explain": "Tell each effective value and where it came from.",
    "keys": "Tell what can be written: each key, what it means and takes.",
    "schema": "Print the JSON Schema of drill files, for editors.",
    "compile": "Compile the engine now and keep it, so that nothing later has to.",
}


class Commands(click.Group):
    """Commands by name; each lives in a module of its own that is imported when it is needed."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, name: str) -> click.Command | None:
        if name not in COMMANDS:
            return None
        return importlib.import_module(f"nivvo.cli.{name}").command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands, in the order of use"):
            formatter.write_dl(list(COMMANDS.items()))

    def invoke(self, ctx: click.Context) -> Any:
        try:
            return super().invoke(ctx)
        except BrokenPipeError:
            # Without its number, by which click would end with the code of a failed check.
            raise BrokenPipeError from None

    def resolve_command(self, ctx: click.Context, args: list[str]):
        if args and args[0] not in COMMANDS and not args[0].startswith("-"):
            import difflib

            near = difflib.get_close_matches(args[0], COMMANDS, 1, 0.5)
            hint = f" Did you mean {near[0]}?" if near else ""
            raise click.UsageError(f"There is no command {args[0]!r}.{hint} Commands: {', '.join(COMMANDS)}.")
        return super().resolve_command(ctx, args)


@click.group(cls=Commands, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(package_name="nivvo", prog_name="nivvo")
def group() -> None:
    """A test bench for player-fired projectile abilities.

    Describe an ability, a scene and inputs in a drill file (TOML); Nivvo fires it and answers with
    numbers, a picture and an exit code.

    \b
    nivvo new my.toml                          a drill to start from
    nivvo fire my.toml                         what happens
    nivvo fire my.toml --figure my.png         and how it looks
    nivvo fire my.toml --set ability.flare.launch.speed=20
    nivvo check my.toml                        does it do what was wanted

    Exit codes: 0 done, 1 a check failed, 2 the input or the call is wrong, 70 a fault of Nivvo's own,
    130 stopped, 141 nobody reads the output. Data goes to stdout, messages to stderr.
    """


def main(args: list[str] | None = None) -> None:
    """Run the command line and exit with its code."""
    _streams()
    # Nobody's plug-in has a say in how drills are read: to look for them takes as long as to fire a shot.
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
    try:
        code = group.main(args=args, prog_name="nivvo", standalone_mode=False)
        sys.stdout.flush()
        sys.exit(code if isinstance(code, int) else 0)
    except click.ClickException as error:
        context, words = getattr(error, "ctx", None), error.format_message()
        if "extra argument" in words and any("--case" in one.opts for one in context.command.params):
            words += "; a case is named by --case"
        _say(words, context)
        sys.exit(2)
    except click.exceptions.Exit as exit_:
        sys.exit(exit_.exit_code)
    except (click.Abort, KeyboardInterrupt):
        _say("stopped")
        sys.exit(130)
    except BrokenPipeError:
        _drop_stdout()
        sys.exit(PIPE_CLOSED)
    except Exception as error:
        _drop_stdout() if isinstance(error, OSError) else None
        sys.exit(_failed(error))


def run() -> None:
    """The command line as a process of its own, which ends with it."""
    # It ends soon: to look for unused memory as often as a game does is a twentieth of its time, and to look through
    # all of it once more at its end an eighth.
    gc.set_threshold(100_000, 20)
    try:
        main()
    finally:
        gc.freeze()


CRASHED, PIPE_CLOSED = 70, 141


def _failed(error: Exception) -> int:
    """Say what went wrong, and whose fault it is; the exit code."""
    from nivvo.errors import NivvoError

    if isinstance(error, NivvoError):
        _say(str(error))
        return 2
    if isinstance(error, OSError):
        _say(f"the output cannot be written: {(error.strerror or str(error)).lower()}")
        return 2
    if isinstance(error, MemoryError):
        _say("there is not enough memory for this; try a shorter case, a lower tick.rate, or fewer projectiles")
        return 2
    if os.environ.get("NIVVO_TRACE"):
        import traceback

        traceback.print_exception(error, file=sys.stderr)
    where = error.__traceback__
    while where is not None and where.tb_next is not None:
        where = where.tb_next
    line = "" if where is None else f" at {where.tb_frame.f_code.co_filename.rpartition(os.sep)[2]}:{where.tb_lineno}"
    what = f"{type(error).__name__}{line}: {error}"[:300]
    _say(
        f"this is a fault of Nivvo's own, not of your drill ({what}); please report it with the drill and what "
        "`NIVVO_TRACE=1 nivvo ...` prints"
    )
    return CRASHED


def _say(text: str, context=None) -> None:
    """A message on stderr, with nothing in it that a terminal would obey."""
    from nivvo.errors import visible

    usage = f"{context.get_usage()}\n" if context is not None else ""
    click.echo("\n".join(visible(line) for line in f"{usage}{text}".split("\n")), err=True)


class _Closed(io.TextIOBase):
    """In place of a stdout that was closed before we began."""

    def write(self, text: str) -> int:
        raise OSError(9, "stdout is closed")


def _streams() -> None:
    """Letters that a stream cannot show are shown as codes; a stream that is not there says so when it is used."""
    if sys.stdout is None:
        sys.stdout = _Closed()
    if sys.stderr is None:
        sys.stderr = io.StringIO()
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")


def _drop_stdout() -> None:
    """Let Python close a stdout that nobody reads without a last complaint."""
    import contextlib
    import os

    with contextlib.suppress(OSError, ValueError, AttributeError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
