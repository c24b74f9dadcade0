"""The defaults that decided a run: what nobody wrote and followed all the same; and what was written to no effect."""

from __future__ import annotations

from nivvo.core.numbers.clock import to_seconds
from nivvo.plan.case import case_of
from nivvo.play.outcome.run import Run
from nivvo.record.vocabulary import LIFE_OVER
from nivvo.spec.drill import Drill


def defaults(drill: Drill, run: Run) -> list[tuple[str, str]]:
    """(key, value in words) of each default that had a part in the run."""
    scene, model = run.scene, drill.of_case(run.case)
    unit, world, out = scene.unit, model.world, []

    def unwritten(table, key: str) -> bool:
        return key not in table.model_fields_set

    if unwritten(world, "gravity") and scene.frame.vertical:
        grounds = "" if unit == "m" else f" (9.81 m/s² at {world.metres:g} {unit} a metre)"
        out.append(("world.gravity", f"{world.pull:g} {unit}/s²{grounds}"))
    if world.view == "space":
        for key, value in (("up", "+z"), ("forward", "+x"), ("hand", "right")):
            if unwritten(world, key):
                out.append((f"world.{key}", value))
    for key in ("rate", "motion", "contacts"):
        if unwritten(model.tick, key) and not (key == "rate" and model.tick.frames is not None):
            value = getattr(model.tick, key)
            out.append((f"tick.{key}", f"{value:g} ticks/s" if key == "rate" else value))
    for name in dict.fromkeys(shot.shooter for shot in run.fired):
        shooter = model.shooter.get(name)
        if shooter is None or unwritten(shooter, "at"):
            out.append((f"shooter.{name}.at", "the origin"))
        if shooter is None or shooter.facing is None:
            out.append((f"shooter.{name}.facing", _axis(scene.frame.forward)))
        if shooter is None or shooter.shape is None:
            out.append((f"shooter.{name}.shape", f"{{ ball = {0.5 * scene.metre:g} }}"))
    for name in dict.fromkeys(shot.ability for shot in run.fired):
        out += _of_firing(run, model.ability[name], name)
    for name in dict.fromkeys(shot.ability for shot in run.launched):
        out += _of_flight(run, model.ability[name], name)
    if drill.case(run.case).input is None:
        out.append((f"case.{run.case}.input", "one tap of each button at 0 s"))
    touched = {row["body"] for row in run.rows("contacts")}
    for name, target in model.target.items():
        if target.shape is None and target.parts is None and (name in touched or not touched):
            out.append((f"target.{name}.shape", f"{{ ball = {0.5 * scene.metre:g} }}"))
    return out


def to_no_effect(drill: Drill, run: Run) -> list[str]:
    """A line for each control that is moved in a run's case, and a wind that blows, that nothing goes by; and a goal.

    The last: a time at which the case is won or lost that comes after it is over.
    """
    case, model, rows = case_of(drill, run.case), drill.of_case(run.case), drill.inputs(run.case) or []
    aims = {name: run.scene.abilities[name].aim.by for name in case.in_hand}
    faced = {shooter.facing_follows for shooter in run.scene.shooters.values()}
    have = ", ".join(f"{name} aims by {by}" for name, by in aims.items())
    lines = [
        f'the {control} is moved, but nothing goes by it: {have}; aim.by = "{by}" would'
        for control, by in (("cursor", "cursor"), ("stick", "stick"), ("look", "sight"))
        if by not in aims.values() and control not in faced and any(getattr(row, control) for row in rows)
    ]
    flown = dict.fromkeys(shot.ability for shot in run.launched)
    feels = [
        flight.wind_share and (flight.drag.linear or flight.drag.square or flight.drag.per_tick < 1.0)
        for flight in (model.ability[name].flight for name in flown)
    ]
    if feels and not any(feels) and (model.world.breezes or any(model.world.wind or [])):
        lines.append(f"the wind moves nothing: it is felt through flight.drag, and {', '.join(flown)} feels none")
    lines += [
        f"{goal.word}.time = {to_seconds(goal.time):g} s is never reached: lasts = {to_seconds(case.lasts):g} s"
        for goal in case.goals
        if goal.time is not None and case.lasts is not None and goal.time > case.lasts
    ]
    return lines


def _of_firing(run: Run, written, name: str) -> list[tuple[str, str]]:
    """Where it leaves from, how it is aimed, and what a short press is."""
    scene = run.scene
    ability, unit, out = scene.abilities[name], scene.unit, []
    shot = next(shot for shot in run.fired if shot.ability == name)
    muzzle_name, muzzle, offset = scene.muzzle(ability, shot.shooter)
    if muzzle.forward is None:
        where = "muzzle" if muzzle_name == "default" else f"muzzle {muzzle_name}"
        out.append(
            (f"ability.{name}.muzzle", f"{where} {offset[0]:.4g} {unit} ahead along the aim: just clear of the body")
        )
    if "by" not in written.aim.model_fields_set:
        out.append((f"ability.{name}.aim.by", "facing"))
    along = ability.launch.elevation is None and ability.launch.arc is None and ability.aim.by != "lead"
    if along and scene.frame.vertical:
        out.append((f"ability.{name}.launch.elevation", "along the aim"))
    short = ability.firing.min_hold and any(shot.ability == name and not shot.moment.held for shot in run.fired)
    if short and "under_min_hold" not in written.firing.model_fields_set:
        out.append((f"ability.{name}.firing.under_min_hold", "base: with nothing charged"))
    return out


def _of_flight(run: Run, written, name: str) -> list[tuple[str, str]]:
    """How large it is, how long it lives, what its touches do; and whether what was sent sends more of the same."""
    scene = run.scene
    ability, out = scene.abilities[name], []
    mine = {run.ids[key]: shot for key, shot in run.by_key.items() if shot.ability == name}
    if written.shape is None:
        out.append((f"ability.{name}.shape", f"{{ ball = {scene.radius(ability):g} }}"))
    flown = [row for row in run.rows("projectiles") if row["projectile"] in mine]
    if "life" not in written.limits.model_fields_set and any(row["ended_by"] == LIFE_OVER for row in flown):
        out.append((f"ability.{name}.limits.life", f"{float(written.limits.life):g} s"))
    touches = [(row["group"], mine[row["projectile"]]) for row in run.rows("contacts") if row["projectile"] in mine]
    groups = sorted({group for group, _ in touches})
    bare = [group for group in groups if not ability.answers[scene.groups.index(group)].written]
    out += [(f"ability.{name}.on.{group}.then", "end, no damage") for group in bare]
    # What nobody lets split again by a number of generations, and has come of another.
    on = {group if group in written.on else "anything" for group, shot in touches if shot.parent >= 0}
    places = [(f"on.{word}", written.on[word]) for word in sorted(on & {*written.on})]
    if any(shot.parent >= 0 for shot in mine.values()):
        places += [(f"when.{word}", getattr(written.when, word)) for word in type(written.when).model_fields]
    sends = {place: one.sends for place, one in places if one is not None and one.sends is not None}
    return out + [
        (f"ability.{name}.{place}.sends.generations", "1: what was sent sends no more of its own ability")
        for place, one in sends.items()
        if one.ability == name and one.generations is None
    ]


def _axis(vector) -> str:
    for k, name in enumerate("xyz"):
        if vector[k]:
            return f"{'+' if vector[k] > 0 else '-'}{name}"
    return ""
