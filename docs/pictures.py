"""Make the pictures of docs/screenshots anew from the demo drills: ``make pictures``.

Figures need nothing more. Pictures of a terminal need Xvfb, xterm and ImageMagick's ``import``.
"""

from __future__ import annotations

import os
import shlex
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

HERE = Path(__file__).parent / "screenshots"
NIVVO = Path(sys.executable).with_name("nivvo")
DISPLAY = ":87"

FIGURES = {
    "fire-quay-lantern": ("quay", "lantern"),
    "fire-dunes-thrown": ("dunes", "thrown"),
    "fire-deck-through-the-rail": ("deck", "through_the_rail"),
    "fire-breakwater-over-the-blocks": ("breakwater", "over_the_blocks"),
    "fire-wharf-tern": ("wharf", "tern"),
    "fire-wharf-shoal": ("wharf", "shoal"),
    "fire-wharf-powder": ("wharf", "powder"),
    "fire-mole-barrel": ("mole", "barrel"),
}

TERMINALS = {
    "fire": "nivvo fire nivvo-demo/quay.toml --case lantern",
    "check": "nivvo check nivvo-demo/quay.toml --set ability.flare.launch.speed=15",
    "explain": "nivvo explain nivvo-demo/quay.toml ability.lantern",
    "keys": "nivvo keys flight.thrust && nivvo keys ricochet",
}


def figures(folder: Path) -> None:
    """Draw the figures with the command line."""
    for name, (drill, case) in FIGURES.items():
        path = folder / "nivvo-demo" / f"{drill}.toml"
        subprocess.run(
            [NIVVO, "fire", path, "--case", case, "--figure", HERE / f"{name}.png"],
            check=True,
            stdout=subprocess.DEVNULL,
        )


def fan(folder: Path) -> None:
    """Draw the fan of launches with the command line."""
    quay = folder / "nivvo-demo" / "quay.toml"
    wishes = ["--ability", "flare", "--apex", "12", "--figure", HERE / "solve-fan.png"]
    subprocess.run([NIVVO, "solve", quay, *wishes], check=True, stdout=subprocess.DEVNULL)


def around(folder: Path) -> None:
    """Draw a direction rose and a muzzle's clearance with the command line."""
    quay, deck = (folder / "nivvo-demo" / f"{name}.toml" for name in ("quay", "deck"))
    wishes = [[quay, "--case", "drifter", "--rose", HERE / "rose.png"]]
    near = ["--set", "shooter.keeper.muzzle.left_rail.forward=17"]
    wishes.append([deck, "--case", "by_stick", *near, "--clearance", HERE / "clearance.png"])
    jetty = folder / "nivvo-demo" / "jetty.toml"
    wishes.append([jetty, "--case", "too_hot", "--timeline", HERE / "timeline.png"])
    wishes.append([jetty, "--case", "tap_and_hold", "--hold-chart", HERE / "holds.png"])
    wharf = folder / "nivvo-demo" / "wharf.toml"
    wishes.append([wharf, "--case", "shoal", "--film", HERE / "film.png"])
    for wish in wishes:
        subprocess.run([NIVVO, "fire", *wish], check=True, stdout=subprocess.DEVNULL)
    subprocess.run([NIVVO, "touches", wharf, "--figure", HERE / "touches.png"], check=True, stdout=subprocess.DEVNULL)


def terminals(folder: Path) -> None:
    """Run each command in a terminal window on a virtual screen and photograph it."""
    screen = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    time.sleep(1.0)
    environment = {**os.environ, "DISPLAY": DISPLAY, "PATH": f"{NIVVO.parent}:{os.environ['PATH']}"}
    try:
        for name, command in TERMINALS.items():
            done = folder / f"{name}.done"
            script = f"clear; printf '$ %s\\n' {shlex.quote(command)}; {command}; touch {done}; sleep 60"
            look = [
                "-fa",
                "DejaVu Sans Mono",
                "-fs",
                "10.5",
                "-geometry",
                "140x44+0+0",
                "-bg",
                "#10181f",
                "-fg",
                "#e6ebef",
            ]
            window = subprocess.Popen(["xterm", *look, "-e", "bash", "-c", script], cwd=folder, env=environment)
            give_up = time.monotonic() + 60.0
            while not done.exists():
                if time.monotonic() > give_up:
                    raise TimeoutError(f"{command} has not come to an end")
                time.sleep(0.1)
            time.sleep(1.0)
            subprocess.run(["import", "-window", "root", str(HERE / f"{name}.png")], env=environment, check=True)
            window.terminate()
            window.wait()
    finally:
        screen.terminate()


def main() -> int:
    """Make all pictures that the machine's programs allow."""
    HERE.mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        subprocess.run([NIVVO, "demo"], cwd=folder, check=True, stdout=subprocess.DEVNULL)
        figures(folder)
        fan(folder)
        around(folder)
        missing = [program for program in ("Xvfb", "xterm", "import") if not shutil.which(program)]
        if missing:
            print(f"no pictures of terminals: {', '.join(missing)} not found", file=sys.stderr)
            return 1
        terminals(folder)
    return 0


if __name__ == "__main__":
    sys.exit(main())
