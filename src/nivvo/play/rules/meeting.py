"""Projectiles that meet in the air: found tick by tick where some ability answers to another's, and answered here.

Each side answers for itself, the lesser key first: it ends, flies on, or is thrown back. Two that bounce off one
another part by their masses (1 where none is written), one that bounces off what does not is thrown back from it.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from nivvo.core import pool
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.frame import dot, unit
from nivvo.core.world.meetings import OTHERS, OWN
from nivvo.plan.abilities.ability import Met
from nivvo.play.effects.contract import Contact

if TYPE_CHECKING:
    from nivvo.play.rules.playing import Playing


class Meetings:
    """The meetings of a session. active : whether any may be."""

    def __init__(self, session: Playing):
        self.session = session
        ranks, abilities = session.ranks, session.scene.abilities
        whom = {
            (ranks[name], ranks[other]): met.whose
            for name, ability in abilities.items()
            for other, met in ability.meets.items()
            if met.then != pool.IGNORE
        }
        self.active = bool(whom) and not session.touches
        if not self.active:
            return
        self.sorts, self.whom = np.zeros(4, dtype=np.int64), np.zeros((len(ranks), len(ranks)), dtype=np.int64)
        for pair, whose in whom.items():
            self.whom[pair] = whose
        session.arena.world["sleeps"], session.arena.world["meets"] = 0, 1

    def compile(self) -> None:
        """Compile what finds them, or load it, if any may be."""
        if self.active:
            self.session.arena.compile_meetings(self.sorts, self.whom)

    def known(self, param: int, rank: int) -> None:
        """Take note of whose a row of params is."""
        if not self.active:
            return
        if param >= len(self.sorts):
            self.sorts = np.concatenate([self.sorts, np.zeros(param + 1, dtype=np.int64)])
        self.sorts[param] = rank

    def first(self, after: int, origin: int, end: int, skip: set[tuple[int, int]]):
        """The first meeting after a time (clock), in what is left of the tick part that began at ``origin``.

        Returns (time, rows, seconds, states), or None; ``seconds`` and states as of ``Arena.first_meeting``.
        """
        arena = self.session.arena
        if arena.live < 2:
            return None
        now = self._row(origin, end)
        found = arena.first_meeting((after - origin) / UNITS, self.sorts, self.whom, skip, now)
        if found is None:
            return None
        i, j, seconds, states = found
        return origin + int(seconds * UNITS), (i, j), seconds, states

    def _row(self, origin: int, end: int) -> np.ndarray:
        row = pool.zeros(1, pool.TICKS)
        row[0] = (origin, end, (end - origin) / UNITS, self.session.tick)
        return row

    def meet(self, found, origin: int, end: int) -> None:
        """Answer a meeting."""
        session, arena = self.session, self.session.arena
        _, rows, seconds, states = found
        now = self._row(origin, end)[0]
        order = sorted(range(2), key=lambda k: int(arena.flight["key"][rows[k]]))
        rows, states = [rows[k] for k in order], [states[k] for k in order]
        keys = [int(arena.flight["key"][row]) for row in rows]
        owners = [int(arena.params["owner"][arena.flight["param"][row]]) for row in rows]
        radii = [float(arena.params["radius"][arena.flight["param"][row]]) for row in rows]
        answers = [self._answer(keys[k], keys[1 - k], owners[0] == owners[1]) for k in range(2)]
        n = unit(states[0][0] - states[1][0])
        ways = self._parted(answers, states, keys, n)
        gone = [False, False]
        for k, answer in enumerate(answers):
            if answer is None:
                continue
            normal, (p, v) = n if k == 0 else -n, states[k]
            tick = int(now["tick"])
            what = (pool.MET, -1, answer.then, float(keys[1 - k]), 0.0)
            arena.note(what, keys[k], (origin, seconds, tick), p, normal)
            event = arena.events[int(arena.counters[pool.EVENTS]) - 1]
            event["v"], event["u"] = (ways[k] if answer.then == pool.BOUNCE else v), states[1 - k][1]
            point = p - radii[k] * normal
            contact = Contact(keys[k], -1, origin, seconds, tick, point, p, v, states[1 - k][1], normal)
            session.consequences.apply_of(rows[k], contact, answer.effects)
            gone[k] = gone[k] or answer.then == pool.END
            gone[1 - k] = gone[1 - k] or answer.removes
        for k, row in enumerate(rows):
            if gone[k]:
                arena.set_out(row, seconds, pool.BY_MEETING, *states[k], now)
            elif answers[k] is not None and answers[k].then == pool.BOUNCE:
                arena.deflect(row, seconds, states[k][0], ways[k], now)

    def _answer(self, key: int, other: int, own: bool) -> Met | None:
        """What follows for one of two."""
        session = self.session
        met = session.scene.abilities[session.of_key(key)[0]].meets.get(session.of_key(other)[0])
        if met is None or met.then == pool.IGNORE or not met.whose & (OWN if own else OTHERS):
            return None
        return met

    def _parted(self, answers, states, keys, n) -> list[np.ndarray]:
        """The velocities of both after they have been thrown back from one another."""
        out = [states[0][1], states[1][1]]
        bounces = [answer is not None and answer.then == pool.BOUNCE for answer in answers]
        closing = -float(dot(states[0][1] - states[1][1], n))
        if not any(bounces) or closing <= 0.0:
            return out
        keeps = min(answer.restitution for answer, one in zip(answers, bounces, strict=True) if one)
        masses = [self.session.scene.abilities[self.session.of_key(key)[0]].mass or 1.0 for key in keys]
        shares = [masses[1 - k] / sum(masses) if all(bounces) else float(bounces[k]) for k in range(2)]
        for k, sign in enumerate((1.0, -1.0)):
            out[k] = states[k][1] + sign * (1.0 + keeps) * closing * shares[k] * n
        return out
