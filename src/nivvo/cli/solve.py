"""``nivvo solve``."""

from __future__ import annotations

import click

from nivvo.cli import completing
from nivvo.cli.common import drill_argument, format_option, note, print_rows, read_drill, say, set_option
from nivvo.errors import CallError
from nivvo.results import row_of


@click.command("solve")
@drill_argument
@click.option("--case", "-c", metavar="NAME", shell_complete=completing.cases, help="Which case; default: the first.")
@click.option(
    "--ability",
    "-a",
    metavar="NAME",
    shell_complete=completing.abilities,
    help="Which ability; default: the first of the case.",
)
@click.option(
    "--to",
    "point",
    metavar="X,Y[,Z]|NAME",
    help="The point to reach, or a body: its middle; default: the case's cursor, else the first target.",
)
@click.option("--at", type=float, help="Seconds at which it is fired; default: when the case first fires it, or 0.")
@click.option("--speed", type=float, help="units/s; default: the ability's.")
@click.option("--elevation", type=float, help="Degrees above the horizontal; default: the ability's.")
@click.option("--flight-time", type=float, help="Seconds of flight.")
@click.option("--apex", type=float, help="Highest point above the muzzle, in units.")
@click.option("--arrival", type=float, help="Degrees at which it arrives; below 0 on the way down.")
@set_option
@click.option("--figure", metavar="FILE.png|svg", help="Draw the solutions, and the reach of the speed.")
@format_option
def command(
    drill, case, ability, point, at, speed, elevation, flight_time, apex, arrival, settings, figure, format_
) -> None:
    """Find the launches of an ability of DRILL that reach a point, in the drill's own tick rules.

    Low and high arc of the speed, the least speed that gets there at all, and what an elevation, a time
    of flight, an apex or an angle of arrival asks for. Each is flown: what stops it on the way, and the least
    gap to an obstacle.

    \b
    nivvo solve quay.toml --ability flare
    nivvo solve quay.toml --ability flare --to 20,1.2 --apex 9 --figure fan.png
    """
    from nivvo.play.questions.solving import body_at, solutions

    read = read_drill(drill, settings)
    to = None if point is None else _place(point)
    found = solutions(
        read, case, ability=ability, to=to, at=at, speed=speed, elevation=elevation, flight_time=flight_time,
        apex=apex, arrival=arrival,
    )  # fmt: skip
    rows = [row_of(solution) for solution in found]
    if format_ == "table" and found:
        _tell(found)
    else:
        print_rows(rows, format_, list(rows[0]) if rows else ["how"])
    if not any(row["how"] in ("low", "high") for row in rows):
        least = next((row["speed"] for row in rows if row["how"] == "least speed"), None)
        more = f"; the least speed that reaches it is {least:.5g} {read.model.world.unit}/s" if least else ""
        body = body_at(found[0].run, found[0].run.fired[0].aim_point) if found and not isinstance(to, list) else ""
        edge = f" (to the middle of {body}: a shot that falls short of it may still touch {body})" if body else ""
        note(f"out of reach at that speed{more}{edge}")
    if figure:
        if not found:
            raise CallError("there is no solution to draw")
        from nivvo.show.drawing.fan import save_fan

        note(f"drew {save_fan(found, figure)}")


def _tell(found) -> None:
    """The solutions as a table with units, under a line that says from where to where."""
    from nivvo.core.numbers.clock import to_seconds
    from nivvo.play.outcome.happened import position

    run, shot = found[0].run, found[0].run.fired[0]
    unit, size = run.scene.unit, run.scene.frame.size
    when = f" at {to_seconds(shot.time):.4g} s" if shot.time else ""
    where = f"from the {shot.muzzle} muzzle of {shot.shooter}{when} to {position(shot.aim_point, size)} {unit}"
    say(f"launches of {shot.ability} {where}, with tick.motion = {run.scene.rules.step_word}")
    units = {"speed": f"{unit}/s", "elevation": "°", "direction": "°", "time": "s", "apex": unit, "gap": unit}
    units["held"] = "s"
    names = {
        name: f"{name} ({units[last]})" if (last := name.split("_")[-1]) in units and name != "least_speed" else name
        for name in row_of(found[0])
        if name != "miss" and (name != "held" or any(one.held == one.held for one in found))
    }
    rows = [{names[name]: value for name, value in row_of(one).items() if name in names} for one in found]
    print_rows(rows, "table", list(names.values()))


def _place(text: str) -> list[float] | str:
    """A point, or the name of a body."""
    try:
        return [float(part) for part in text.strip("[] ").split(",")]
    except ValueError:
        if text[:1].isalpha():
            return text
        raise CallError(f"--to {text}: must be numbers with commas between, as 20,1.5, or a body's name") from None
