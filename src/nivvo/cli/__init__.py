"""The command line: parse, call, print. Commands are loaded when they are called."""

from __future__ import annotations

import importlib
import sys

import click

COMMANDS = {
    "demo": "Fire the demo drills; write figures and tables to a folder.",
    "new": "Write a small drill file to start from.",
    "fire": "Fire a case and tell what happened.",
    "check": "Fire cases and judge their checks; exit 1 if one fails.",
    "solve": "Find the launches that reach a point.",
    "explain": "Tell each effective value and where it came from.",
    "schema": "Print the JSON Schema of drill files, for editors.",
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

    Exit codes: 0 done, 1 a check failed, 2 the input or the call is wrong. Data goes to stdout,
    messages to stderr.
    """


def main(args: list[str] | None = None) -> None:
    """Run the command line and exit with its code."""
    try:
        code = group.main(args=args, prog_name="nivvo", standalone_mode=False)
        _flush()
        sys.exit(code if isinstance(code, int) else 0)
    except click.ClickException as error:
        error.show(sys.stderr)
        sys.exit(2)
    except click.exceptions.Exit as exit_:
        sys.exit(exit_.exit_code)
    except (click.Abort, KeyboardInterrupt):
        click.echo("stopped", err=True)
        sys.exit(130)
    except BrokenPipeError:
        _drop_stdout()
        sys.exit(0)
    except OSError as error:
        click.echo(f"the output cannot be written: {(error.strerror or str(error)).lower()}", err=True)
        _drop_stdout()
        sys.exit(2)
    except Exception as error:
        from nivvo.errors import NivvoError

        if not isinstance(error, NivvoError):
            raise
        click.echo(str(error), err=True)
        sys.exit(2)


def _flush() -> None:
    sys.stdout.flush()


def _drop_stdout() -> None:
    """Let Python close a stdout that nobody reads without a last complaint."""
    import os

    devnull = os.open(os.devnull, os.O_WRONLY)
    os.dup2(devnull, sys.stdout.fileno())
