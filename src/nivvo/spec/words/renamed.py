"""Keys as they were called before, and what they are called now: told in messages until 1.0."""

from __future__ import annotations

from fnmatch import fnmatchcase

RENAMED = {
    "tick.step": "motion",
    "tick.touch": "contacts",
    "tick.bits": "timer_bits",
    "shooter.*.faces": "facing_follows",
    "shooter.*.ways": "facing_count",
    "shooter.*.walk.button": "jump_button",
    "ability.*.owner": "hits_owner",
    "ability.*.obstructed": "muzzle_blocked",
    "ability.*.inherit": "inherit_velocity",
    "ability.*.flight.gravity": "gravity_share",
    "ability.*.limits.alive": "in_the_air",
    "ability.*.limits.alive_with": "shared_limit",
    "ability.*.when.again.gone": "none_left",
    "ability.*.launch.force": "one_tick_force",
    "ability.*.launch.time": "flight_time",
    "ability.*.aim.far": "sight_range",
    "ability.*.aim.blocked": "line_blocked",
    "ability.*.aim.otherwise": "without_target",
    "ability.*.aim.prefers": "nearest_by",
    "ability.*.aim.bearing_within": "direction_within",
    "ability.*.aim.assist.bend": "max_turn",
    "ability.*.aim.camera.fov": "field_of_view",
    "ability.*.firing.gap": "interval",
    "ability.*.firing.least_hold": "min_hold",
    "ability.*.firing.tap": "under_min_hold",
    "ability.*.firing.cooldown_with": "shared_cooldown",
    "ability.*.firing.heat.a_shot": "per_shot",
    "ability.*.firing.heat.cools": "cooling",
    "ability.*.firing.heat.until": "resume_at",
    "ability.*.sd": "deviation",
    "ability.*.on.*.sends_along": "sends.along",
    "case.*.input.*.move": "walk",
    "case.*.input.*.lasts": "held",
    "case.*.check.*.by": "margin",
}
"""Dotted keys, with * for names and numbers of rows, and the last part's new name."""


def renamed(key: tuple) -> str:
    """What the last part of a key is called now, or ""."""
    text = ".".join(map(str, key))
    return next((new for old, new in RENAMED.items() if fnmatchcase(text, old) and _as_deep(old, key)), "")


def _as_deep(old: str, key: tuple) -> bool:
    """Only a number that depends may lie anywhere below its ability."""
    return old.endswith(".sd") or old.count(".") == len(key) - 1
