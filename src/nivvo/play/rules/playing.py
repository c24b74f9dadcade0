"""What the rules of a session know of it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    from nivvo.core.world.arena import Arena
    from nivvo.plan.scene import Scene
    from nivvo.play.aims.aiming import Shot
    from nivvo.play.rules.consequences import Consequences
    from nivvo.play.rules.cost import Meter
    from nivvo.play.rules.deciding import Deciding
    from nivvo.play.rules.reaching import Reaching
    from nivvo.play.stage.stage import Stage


class Playing(Protocol):
    """A session, for a rule of it.

    tick : which is next. lasts : until when (clock), or None. last_input : when (clock) anybody did anything last.
    touches : the one answer to all contacts of what is only looked at, or "". still : nothing but what flies moves.
    numbers : shots so far of each ability and shooter. ranks : the abilities in order. refused : what was not fired.
    """

    scene: Scene
    stage: Stage
    arena: Arena
    meter: Meter
    tick: int
    lasts: int | None
    last_input: int
    touches: str
    still: bool
    numbers: dict[tuple[str, str], int]
    ranks: dict[str, int]
    refused: list[Shot]
    consequences: Consequences
    deciding: Deciding
    reaching: Reaching

    def of_key(self, key: int) -> tuple[str, str]:
        """The ability and the shooter that a projectile is of."""

    def key_of(self, shot: Shot) -> int:
        """The key of a shot's first projectile."""

    def first_of_shot(self, key: int) -> int:
        """The key of the first projectile of the shot that a projectile is of."""

    def too_many(self, shot: Shot) -> str:
        """Make room for a shot among those of which only so many may be in the air; why there is none, if so."""

    def put(self, shot: Shot, inside: list[int] | None = None, depth: int = 0, dealt=None, why: str = "shot") -> None:
        """Put a shot that is worked out into the air."""

    def hold_anew(self) -> None:
        """See anew what is done at once and what waits."""

    def stop(self, time: int) -> None:
        """Be over with the present tick."""
