"""The vocabulary of what happened: one row for each code that the engine writes."""

from __future__ import annotations

from typing import NamedTuple

from nivvo.core import pool


class Happening(NamedTuple):
    """A kind of event. word : in tables. turns : whether it is a point of the projectile's path."""

    word: str
    turns: bool = False


class Ending(NamedTuple):
    """How a projectile ends. word : in tables. sentence : for a person. lands : whether it lands on a body."""

    word: str
    sentence: str
    lands: bool = False


HAPPENINGS = {
    pool.CONTACT: Happening("contact", turns=True),
    pool.OVERLAP: Happening("overlap", turns=True),
    pool.DAMAGE: Happening("damage"),
    pool.OUT: Happening("out"),
    pool.ENDED: Happening("ended", turns=True),
    pool.SLIPPED: Happening("slipped through"),
    pool.BOUNCED: Happening("bounced", turns=True),
    pool.MOMENT: Happening("moment", turns=True),
    pool.RESTED: Happening("came to rest", turns=True),
    pool.SLID: Happening("goes along", turns=True),
    pool.LEFT: Happening("left", turns=True),
    pool.SCORED: Happening("scored"),
    pool.BURST: Happening("burst"),
    pool.BLINKED: Happening("blinked"),
    pool.PUSHED: Happening("pushed"),
    pool.PULLED: Happening("pulled"),
    pool.ANCHORED: Happening("anchored"),
    pool.BACK: Happening("came back"),
    pool.REACHED: Happening("touched a shooter"),
    pool.ARRIVED: Happening("arrived"),
    pool.TURNED_AWAY: Happening("turned away"),
    pool.GONE: Happening("went away"),
    pool.SLOWED: Happening("slowed", turns=True),
    pool.WENT_THROUGH: Happening("went through", turns=True),
    pool.MET: Happening("met", turns=True),
    pool.LOCKED: Happening("locked on"),
    pool.LOST_TARGET: Happening("lost"),
}
TURNS = tuple(kind for kind, happening in HAPPENINGS.items() if happening.turns)

ENDINGS = {
    pool.FLYING: Ending("flying", "still flying when the case ended"),
    pool.BY_CONTACT: Ending("contact", "touched {body}", lands=True),
    pool.BY_LIFE: Ending("life", "its life was over"),
    pool.BY_REACH: Ending("reach", "its reach was used up"),
    pool.BY_BOUNDS: Ending("bounds", "it left the bounds"),
    pool.BY_NUMBERS: Ending("numbers too large", "its numbers grew too large to go on with"),
    pool.BY_HOPS: Ending("too many contacts", "too many touches in one tick"),
    pool.BY_FULL: Ending("replaced", "a newer one took its place"),
    pool.BY_PRESS: Ending("press", "its button was pressed again"),
    pool.BY_CALL: Ending("game", "it was ended by the game"),
    pool.BY_INSIDE: Ending("too many bodies", f"it was inside more than {pool.INSIDE_MOST} bodies at once", lands=True),
    pool.BY_SETTLED: Ending("settled", "bounced no more off {body}", lands=True),
    pool.BY_PIERCED: Ending("last body", "touched {body} after the last it goes through", lands=True),
    pool.BY_MEETING: Ending("meeting", "met another projectile"),
    pool.BY_OUT: Ending("body out", "the body that it stuck in is out"),
    pool.BY_APEX: Ending("apex", "it ceased to rise"),
    pool.BY_NEAR: Ending("near", "came near {body}"),
    pool.BY_AGE: Ending("age", "it was old enough"),
    pool.BY_FLOWN: Ending("flown", "it had flown far enough"),
    pool.BY_LOSS: Ending("lost its target", "it lost whom it followed"),
    pool.BY_BOUNCES: Ending("last bounce", "touched {body} after its last bounce", lands=True),
}
LOSSES = {
    pool.OUT_OF_HEALTH: "it is out",
    pool.OUT_OF_REACH: "it got too far away",
    pool.OUT_OF_CONE: "it came out of its cone",
    pool.OUT_OF_SIGHT: "something hid it",
    pool.OUT_OF_TIME: "its time to follow was over",
}
"""Why a projectile lost whom it followed."""

STILL_FLYING, LIFE_OVER = ENDINGS[pool.FLYING].word, ENDINGS[pool.BY_LIFE].word
BY_WORD = {ending.word: ending for ending in ENDINGS.values()}

BIRTHS = ("shot", "contact", "fired", "again", "age", "flown", "apex", "near", "ended")
"""Why projectiles are born, a row's code is the place: of a shot, or sent at a contact or another moment of one."""

ANSWERS = {code: word for word, code in pool.THEN.items()} | {pool.ENTERS: "enters"}

SENTENCES = {"reason", "detail", "note"}
"""Columns that tell a person what others tell exactly: no part of a digest."""
