"""The preview that belongs beside a run in a picture: that of its first shot, in a score of dots."""

from __future__ import annotations

from nivvo.play.outcome.run import Run
from nivvo.play.preview import Preview, of_run

DOTS = 24


def preview_of(run: Run) -> Preview | None:
    """Dots along the first shot of a run, from its muzzle to its first touch; None if nothing was fired."""
    if not run.fired:
        return None
    length = run.rows("projectiles")[0]["path_length"]
    return of_run(run, spacing=length / DOTS if length > 0.0 else None)
