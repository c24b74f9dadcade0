"""What turns a button into shots: one small class a kind of firing, from event to event.

A trigger hears its buttons (``press``, ``release``), says when it will do something by itself (``due``),
and does it (``go``). What comes of it is left in ``out``: shots to fire, and changes of state. Boundaries:
a button is held from the press up to, but not including, the release; at one time buttons come before
what runs out; a hold that lasts to a step of its number has that step.

A new kind is a class here, a row of ``KINDS``, its name in ``FIRING_KINDS`` and its keys there.
"""

from __future__ import annotations

from typing import NamedTuple

from nivvo.core.numbers import clock
from nivvo.plan.abilities.ability import Firing
from nivvo.play.triggers.timers import NEVER, Deadline, Latest, Timers

IDLE, READY, CHARGING, WINDING_UP, FIRING = "idle", "ready", "charging", "winding up", "firing"
RECOVERING, COOLING, RELOADING, OVERHEATED = "recovering", "cooling", "reloading", "overheated"
WAITING = (RECOVERING, COOLING, RELOADING, OVERHEATED)
LOCKED = (READY, CHARGING, WINDING_UP, RECOVERING)
"""States in which a shooter does not walk, if its firing says so."""

FIZZLED, TOO_SHORT = "fizzled", "too short a hold"
"""Why a hold fires nothing."""


class Fire(NamedTuple):
    """A shot to fire: when (clock), when the press was seen that led to it, how long it was held, of which use."""

    time: int
    pressed: int
    held: int
    use: int


class Change(NamedTuple):
    """A trigger's state from ``time`` (clock) on, and why; ``astray``: when the press was, or the end of the hold,
    that has come to no shot by it."""

    time: int
    state: str
    why: str
    astray: int | None = None


class Trigger:
    """Single firing, and what all kinds share: cooldown, ammo, heat, wind-up, recovery, a remembered press.

    Parameters
    ----------
    rules : Firing
    timers : Timers
    shared : dict in which abilities of one word keep when their cooldown is over
    """

    def __init__(self, rules: Firing, timers: Timers, shared: dict[str, Latest]):
        self.rules, self.timers, self.shared = rules, timers, shared
        self.out: list[Fire | Change] = []
        self.state = IDLE
        self.down: int | None = None
        self.pressed, self.holds = 0, 0
        self.written: int | None = None
        self.use = 0
        self.ammo = rules.ammo
        self.heat, self.warmed = 0.0, 0
        self.ready = Latest([])
        self.remembered: int | None = None
        self.repeated = False
        self.served = 0
        self.queue: list[tuple[Deadline | Latest, int, str]] = []
        self.order = 0
        self.last = 0
        self.chain: Deadline | None = None

    @property
    def left(self):
        """What the timer of the shot before had over when it was due."""
        return None if self.chain is None else self.chain.left

    # What it hears.

    def press(self, time: int) -> None:
        """Its button goes down."""
        if self.state in WAITING:
            # What is over at this moment is over.
            self.go(time)
        self.down, self.repeated = time, False
        if self.state == IDLE and time >= self.free_at():
            self.start(time)
        else:
            self.further(time)

    def repeat(self, time: int) -> None:
        """A press of its button that is down already is none; that is told once a hold."""
        if not self.repeated:
            self.repeated = True
            self.tell(time, "its button was down already", astray=time)

    def release(self, time: int) -> None:
        """Its button goes up."""
        self.down = None

    def held(self, time: int) -> int:
        """For how long (clock) it has charged by a time."""
        return 0

    def cancel(self, time: int, why: str) -> None:
        """Break off what was begun; what was fired stays fired."""
        if self.state in (READY, CHARGING, WINDING_UP, FIRING):
            self.queue.clear()
            self.remembered = None
            if self.state == FIRING:
                self.rest_from_last()
            self.broken(time)
            self.cool(time, f"cancelled by {why}")

    def drop(self) -> None:
        """Stop for good: its shooter is out."""
        self.queue.clear()
        self.out.clear()
        self.state, self.down, self.remembered = IDLE, None, None

    # What it does by itself.

    def due(self) -> int | None:
        """When it will next do something by itself."""
        if not self.queue:
            return None
        if len(self.queue) > 1:
            self.queue.sort(key=_order)
        time = self.queue[0][0].time
        return time if time < NEVER else None

    def go(self, time: int) -> None:
        """Do all that is due up to ``time``."""
        while (due := self.due()) is not None and due <= time:
            when, _, what = self.queue.pop(0)
            getattr(self, what)(when.time)

    def later(self, when: int | Deadline | Latest, what: str) -> None:
        """Do something at a time."""
        self.order += 1
        self.queue.append((Deadline(when) if isinstance(when, int) else when, self.order, what))

    def to(self, time: int, state: str, why: str = "", astray: int | None = None) -> None:
        """Change state."""
        self.state = state
        self.out.append(Change(time, state, why, astray))

    def tell(self, time: int, why: str, astray: int | None = None) -> None:
        """Say something of a state that stays."""
        self.out.append(Change(time, self.state, why, astray))

    # One use.

    def astray(self, time: int) -> int | None:
        """``time`` (clock), if a use that ends now has come to no shot."""
        return time if self.served != self.use else None

    def free_at(self) -> int:
        """When the next use can begin."""
        shared = self.shared.get(self.rules.shared_cooldown or "")
        return max(self.ready.time, 0 if shared is None else shared.time)

    def wait_for(self, *more: Deadline) -> None:
        """Let the next use wait for these too."""
        self.ready = Latest([part for part in self.ready.parts if part.time > self.last] + list(more))

    def start(self, time: int) -> None:
        """Begin a use."""
        self.remembered = None
        self.use += 1
        self.pressed = time if self.written is None else self.written
        self.begin(time)

    def begin(self, time: int) -> None:
        """What this kind does with a press that counts."""
        self.launch(time)

    def further(self, time: int) -> None:
        """A press while it is not free: too early, or kept for a while."""
        if self.rules.remembers:
            # The press before this one, if it is still kept, comes to nothing.
            self.tell(time, "too early, remembered", astray=self.remembered)
            self.remembered = time
        else:
            self.tell(time, "too early", astray=time)
        if self.state == IDLE:
            self.later(max(self.free_at(), time), "wake")

    def launch(self, time: int, held: int = 0) -> None:
        """Decide to shoot: at once, or after the wind-up."""
        self.holds = held
        if self.rules.wind_up is not None:
            self.to(time, WINDING_UP)
            self.later(self.timers.after(time, self.rules.wind_up), "wound")
        else:
            self.wound(time)

    def wound(self, time: int) -> None:
        """The moment of the first shot of a use."""
        self.shoot(time)
        self.finish(time)

    def shoot(self, time: int) -> bool:
        """One shot, if there is ammo; returns whether."""
        if self.ammo == 0:
            self.tell(time, "empty", astray=self.astray(time))
            return False
        self.served = self.use
        self.out.append(Fire(time, self.pressed, self.holds, self.use))
        self.last = time
        if self.ammo is not None:
            self.ammo -= 1
        if self.rules.heat is not None:
            self.heat = self.warmth(time) + self.rules.heat.per_shot
            self.warmed = time
        return True

    def warmth(self, time: int) -> float:
        """The heat at a time."""
        if self.rules.heat is None:
            return 0.0
        return max(self.heat - self.rules.heat.cooling * clock.to_seconds(time - self.warmed), 0.0)

    def hot(self, time: int) -> bool:
        """Whether it is too hot to go on."""
        return self.rules.heat is not None and self.warmth(time) >= 1.0 - 1e-9

    def rest_from_last(self) -> None:
        """Let the cooldown run from the last shot."""
        wait = self.rules.cooldown
        if wait:
            over = self.timers.after(self.last, wait)
            self.wait_for(over)
            if self.rules.shared_cooldown:
                before = self.shared.get(self.rules.shared_cooldown)
                self.shared[self.rules.shared_cooldown] = over if before is None or over.time > before.time else before

    def finish(self, time: int) -> None:
        """After the last shot of a use."""
        self.rest_from_last()
        if self.rules.recovery is not None:
            self.to(time, RECOVERING)
            self.later(self.timers.after(time, self.rules.recovery), "cool")
        else:
            self.cool(time)

    def cool(self, time: int, why: str = "") -> None:
        """Wait until the next use can begin; why: what this one is broken off by, if it is."""
        state, shared = COOLING, self.shared.get(self.rules.shared_cooldown or "")
        over = [] if shared is None else [shared]
        if self.hot(time):
            heat = self.rules.heat
            spare = clock.from_seconds((self.warmth(time) - heat.resume_at) / heat.cooling)
            state, over = OVERHEATED, [*over, self.timers.after(time, spare)]
        if self.ammo == 0 and self.rules.reload is not None:
            state, over = RELOADING, [*over, self.timers.after(time, self.rules.reload)]
        self.wait_for(*over)
        if self.ready.time > time:
            self.to(time, state, why, astray=self.astray(time) if why else None)
            self.later(self.ready, "rest")
        else:
            self.rest(time, why)

    def rest(self, time: int, why: str = "") -> None:
        """Free again."""
        if self.state == RELOADING:
            self.ammo = self.rules.ammo
        self.to(time, IDLE, why, astray=self.astray(time) if why else None)
        self.wake(time)

    def wake(self, time: int) -> None:
        """See whether a press was kept for now."""
        kept = self.remembered
        if self.state == IDLE and kept is not None and time >= self.free_at():
            self.remembered = None
            if time - kept <= (self.rules.remembers or 0):
                self.start(time)
            else:
                self.tell(time, "remembered too long ago", astray=kept)

    def broken(self, time: int) -> None:
        """What a use that is broken off leaves behind."""


class Auto(Trigger):
    """The first shot at the press, then one every interval for as long as the button is held."""

    def further(self, time: int) -> None:
        """A press while it is not free: it starts when it is, if the button is still held."""
        self.remembered = time
        if self.state == IDLE:
            self.later(max(self.free_at(), time), "wake")

    def wake(self, time: int) -> None:
        """Go on, if the button is held."""
        if self.state == IDLE and self.down is not None and self.ammo != 0 and time >= self.free_at():
            self.start(time)

    def release(self, time: int) -> None:
        """No shot from here on; the interval is kept."""
        self.down = None
        if self.remembered is not None:
            self.tell(time, "too early", astray=self.remembered)
            self.remembered = None
        if self.state == FIRING:
            self.queue.clear()
            self.finish(time)

    def wound(self, time: int) -> None:
        """The first shot."""
        self.chain = None
        if not self.shoot(time):
            self.finish(time)
            return
        self.to(time, FIRING)
        self.on(time)

    def on(self, time: int) -> None:
        """What follows a shot: the next one an interval later, or the end of the use."""
        self.chain = following = self.timers.next(time, self.rules.interval, self.left)
        self.ready = Latest([following])
        if self.ammo == 0 or self.hot(time) or self.down is None:
            self.finish(time)
        else:
            self.later(following, "next_shot")

    def next_shot(self, time: int) -> None:
        """One more."""
        self.shoot(time)
        self.on(time)

    def broken(self, time: int) -> None:
        """The interval is kept."""
        self.down = None


class Burst(Trigger):
    """Several shots a press, a gap apart; to the end, or until the release."""

    def wound(self, time: int) -> None:
        """The first of them."""
        self.more, self.chain = self.rules.shots, None
        self.to(time, FIRING)
        self.next_shot(time)

    def next_shot(self, time: int) -> None:
        """One of them, and the next a gap later."""
        self.more -= 1
        if not self.shoot(time) or self.more == 0:
            self.finish(time)
            return
        self.chain = following = self.timers.next(time, self.rules.interval, self.left)
        self.later(following, "next_shot")

    def release(self, time: int) -> None:
        """With on_release = "stop" no more of them."""
        self.down = None
        if self.rules.on_release == "stop" and self.state == FIRING:
            self.queue.clear()
            self.finish(time)


class Charge(Trigger):
    """Hold to charge, release to fire."""

    def begin(self, time: int) -> None:
        """Start to charge; a press that was kept and is over by now fires the base."""
        self.since = time
        self.to(time, CHARGING)
        if self.rules.full_after is not None:
            self.later(time + self.rules.full_after, "full")
        if self.down is None:
            self.release(time)

    def held(self, time: int) -> int:
        """From when it began to charge, while it does."""
        return time - self.since if self.state == CHARGING else 0

    def full(self, time: int) -> None:
        """The charge is full."""
        does = self.rules.at_full
        self.tell(time, "full")
        if does == "let go":
            self.launch(time, self.rules.full_after)
        elif does == "fizzle":
            self.cool(time, FIZZLED)

    def release(self, time: int) -> None:
        """Let go."""
        self.down = None
        if self.state != CHARGING:
            return
        self.queue.clear()
        held, nothing = charged(self.rules, time - self.since)
        if nothing:
            self.cool(time, nothing)
        else:
            self.launch(time, held)


class Ready(Trigger):
    """A first press shows the aim; a second, or the confirming button, fires; it can be left."""

    def begin(self, time: int) -> None:
        """Show the aim."""
        self.to(time, READY)
        if self.rules.gives_up_after is not None:
            self.later(self.timers.after(time, self.rules.gives_up_after), "give_up")

    def further(self, time: int) -> None:
        """Its own button again confirms, unless another does."""
        if self.state == READY and self.rules.confirm is None:
            self.confirm(time)
        elif self.state != READY:
            super().further(time)

    def confirm(self, time: int) -> None:
        """Fire."""
        if self.state == READY:
            self.queue.clear()
            self.pressed = time if self.written is None else self.written
            self.launch(time)

    def give_up(self, time: int) -> None:
        """It took too long."""
        self.cool(time, "gave up")


def charged(rules: Firing, held: int) -> tuple[int, str]:
    """What a hold (clock) counts as: the base for a tap, never more than full; and why it fires nothing, or ""."""
    over = rules.full_after is not None and held > rules.full_after
    if over and rules.at_full in ("let go", "fizzle"):
        return rules.full_after, FIZZLED if rules.at_full == "fizzle" else ""
    if held < (rules.min_hold or 0):
        return 0, TOO_SHORT if rules.under_min_hold == "nothing" else ""
    return (0 if rules.at_full == "fall back" else rules.full_after) if over else held, ""


def _order(entry: tuple) -> tuple[int, int]:
    return entry[0].time, entry[1]


KINDS = {"single": Trigger, "auto": Auto, "burst": Burst, "charge": Charge, "ready": Ready}
"""Each kind of firing and its class."""
