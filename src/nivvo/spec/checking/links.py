"""What must fit across tables: names that exist, vectors of the view's size, buttons that somebody presses."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nivvo.errors import CallError, Problem
from nivvo.spec.checking.problems import dotted, of_errors, shown
from nivvo.spec.checking.tables import Entries, Tables
from nivvo.spec.reading.document import Document
from nivvo.spec.reading.settings import KEEPER
from nivvo.spec.scenes.scene import Tick, World
from nivvo.spec.words.nearest import listed, nearest

if TYPE_CHECKING:
    from nivvo.spec.checking.model import Model
    from nivvo.spec.reading.track import Track

ANYTHING = "anything"
MOST_TICKS = 5_000_000
MOST_HELPED = 40
"""Problems of one drill that are told with what is allowed and the nearest name: more than that nobody reads."""


def shooters(model: Model) -> list[str]:
    """Names of the shooters; a drill without any has one."""
    return list(model.shooter) or [KEEPER]


def groups(model: Model) -> list[str]:
    """Names of all groups, in order of their names."""
    bodies = [*model.shooter.values(), *model.obstacle.values(), *model.target.values()]
    named = {group for body in bodies for group in groups_of(body)}
    return sorted(named if model.shooter else named | {"shooters"})


def groups_of(body: Any) -> set[str]:
    """The groups of a body: its own, and those of its parts."""
    return {body.group} | {part.group for part in getattr(body, "parts", None) or [] if part.group is not None}


def in_hand(model: Model, case: Any) -> list[str]:
    """The abilities that are in hand in a case: those it names, else all but those that only contacts send."""
    if case.ability is not None:
        return [case.ability] if isinstance(case.ability, str) else list(case.ability)
    sent = {other for name, one in model.ability.items() for other in sent_by(one) if other != name}
    hand = [name for name, one in model.ability.items() if name not in sent or "firing" in one.model_fields_set]
    return hand or list(model.ability)


def with_sent(model: Model, names: list[str]) -> list[str]:
    """Some abilities, and those that their contacts send, and what those send."""
    found = dict.fromkeys(name for name in names if name in model.ability)
    waiting = list(found)
    while waiting:
        for other in sent_by(model.ability[waiting.pop()]):
            if other in model.ability and other not in found:
                found[other] = None
                waiting.append(other)
    return list(found)


def effects_of(ability: Any) -> Iterator[tuple[tuple, Any]]:
    """The tables of an ability in which effects may stand, by their paths."""
    for group, answer in ability.on.items():
        yield ("on", group), answer
    for word in type(ability.when).model_fields:
        if (moment := getattr(ability.when, word)) is not None:
            yield ("when", word), moment


def sent_by(ability: Any) -> list[str]:
    """The abilities whose projectiles those of an ability send."""
    return [one.sends.ability for _, one in effects_of(ability) if one.sends is not None]


def targets(model: Model) -> list[str]:
    """Names of the targets: of a wave each of its own."""
    return [
        one
        for name, target in model.target.items()
        for one in ([name] if target.wave is None else [f"{name}-{k + 1}" for k in range(target.wave.size)])
    ]


class Names:
    """Names of shooters, bodies and groups of the tables of bodies; ``lost``: of tables that are wrong themselves."""

    def __init__(self, model: Model, lost: set[str]):
        self.of = (model.shooter, model.obstacle, model.target)
        self.shooters = dict.fromkeys(shooters(model))
        self.groups = dict.fromkeys(groups(model))
        self.bodies = dict.fromkeys([*self.shooters, *model.obstacle, *targets(model)])
        self.lost = lost


class Links:
    """Problems found across the tables of one effective drill.

    where : where what is noted now stands, if that is not "".
    """

    def __init__(self, model: Model, document: Document, names: Names, only_names: set[tuple]):
        self.model, self.document, self.names = model, document, names
        self.only_names = only_names
        self.found: list[Problem] = []
        self.folder = document.folder
        self.where = ""

    def say(self, key: tuple, says: str, given: object = None, allowed: str = "", hint: str = "") -> None:
        """Note one problem at a key, unless what it follows from may be a mistake that is told already."""
        if not self.told(key):
            self.note(key, says, given, allowed, hint)

    def told(self, key: tuple) -> bool:
        """Whether the table of a key, or the world, has mistakes of its own."""
        return ("world",) in self.only_names or key[:2] in self.only_names

    def note(
        self, key: tuple, says: str, given: object = None, allowed: str = "", hint: str = "", where: str = ""
    ) -> None:
        """Note one problem at a key, or at a line of a file beside the drill."""
        text = "" if given is None else shown(given)
        where = where or self.where or str(self.document.origin(key))
        self.found.append(Problem(where, dotted(key), says, text, allowed, hint))

    def name(self, key: tuple, word: str, what: str, known) -> bool:
        """Note if ``word`` is none of the known names; a table that is wrong itself may have any group."""
        if word in known or word in self.names.lost or (what == "group" and self.names.lost):
            return True
        says = f"there is no {what} of that name"
        if len(self.found) >= MOST_HELPED:
            self.note(key, says, word)
        else:
            self.note(key, says, word, listed(known) or f"none: the drill has no {what}", nearest(word, known))
        return False

    def vector(self, key: tuple, value: list | None) -> None:
        """Note if a vector has the wrong number of values for the view."""
        size = self.model.world.size
        if value is not None and len(value) != size:
            view = self.model.world.view + (" with height" if self.model.world.height else "")
            axes = "[x, y]" if size == 2 else "[x, y, height]" if self.model.world.height else "[x, y, z]"
            self.say(key, f"a {view} view has positions of {size} numbers", value, axes)


class Linked:
    """One effective drill: its model, and everything that is wrong with it.

    ``cases``: which cases it is that of; None: of none, then its own abilities must be there all the same.
    """

    def __init__(self, tables: Tables, document: Document, cases: list[str] | None):
        self.tables, self.document = tables, document
        rest, self.errors = tables.rest(document)
        self.cases = cases if cases is not None else list(_dict(document.tables.get("case")))
        only = {kind: None if kind != "case" else self.cases for kind in tables.kinds}
        self.entries = {kind: tables.entries(kind, document, only[kind]) for kind in tables.kinds}
        world = rest.world if rest is not None else _valid(World, document.tables.get("world"))
        tick = rest.tick if rest is not None else _valid(Tick, document.tables.get("tick"))
        wrong = {kind: one.lost for kind, one in self.entries.items() if one.wrong or one.odd}
        self.lost = {name for names in wrong.values() for name in names}
        self.only_names: set[tuple] = {(kind, name) for kind, names in wrong.items() for name in names}
        if world is None:
            self.only_names.add(("world",))
        made = tables.model.model_construct
        written = set(document.tables)
        parts = {"nivvo": 1, "world": world or World(), "tick": tick or Tick()}
        if rest is not None:
            parts |= {"title": rest.title, "use": rest.use}
        self.usable = made(written, **parts, **{kind: one.usable for kind, one in self.entries.items()})
        self.tracks: dict[str, Track] = {}
        self._looked: dict[str, tuple[list[Problem], tuple, bool]] = {}
        self.model = None if wrong or self.errors else self.usable

    def __getstate__(self) -> dict:
        # What was looked at is known by which object it is: copies are others.
        return self.__dict__ | {"_looked": {}}

    def with_abilities(self, document: Document) -> Linked | None:
        """That of a document with other abilities of the same names, if this one is right; None where more has changed,
        something is wrong, or what has changed may be asked for elsewhere."""
        now, was = document.tables, self.document.tables
        if now.keys() != was.keys() or any(now[key] is not was[key] for key in now if key != "ability"):
            return None
        tables, before = now.get("ability"), was.get("ability")
        if self.model is None or not tables or tables.keys() != before.keys():
            return None
        if not self._looked:
            self._across()
        if any(anchors for _, _, anchors in self._looked.values()):
            return None
        out = Linked.__new__(Linked)
        out.__dict__.update(self.__dict__)
        out.document, out._looked = document, {**self._looked}
        entries, models = {**self.entries["ability"].entries}, {**self.model.ability}
        out.entries = {**self.entries, "ability": Entries(tables, entries, models, models, {}, [])}
        out.model = out.usable = self.model.model_copy(update={"ability": models})
        changed = [name for name in tables if tables[name] is not before[name]]
        for name in changed:
            entry = self.tables.entry("ability", name, tables[name], document.folder, entries[name])
            if entry.model is None:
                return None
            entries[name], models[name] = entry, entry.model
        for name in changed:
            looked = out._looked[name] = out._ability(name, models[name], self._names())
            if looked[0] or looked[1:] != self._looked[name][1:]:
                return None
        return out

    def problems(self) -> list[Problem]:
        """All that is wrong."""
        out = of_errors(self.errors, self.document, self.tables.model)
        for kind, entries in self.entries.items():
            out += self.tables.problems_of(kind, entries, self.document)
        return out + self._across()

    def _across(self) -> list[Problem]:
        """What is wrong across tables."""
        from nivvo.spec.checking import links_ability, links_scene

        model, names = self.usable, self._names()
        links = Links(model, self.document, names, self.only_names)
        links_scene.world(links)
        view = (model.world.view, model.world.height, bool(model.world.pull), ("world",) in self.only_names)
        for kind in ("shooter", "obstacle", "target"):
            entries = getattr(model, kind)
            key = (kind, id(entries), view, model.tick.rate)
            links.found += self._once(key, entries, lambda kind=kind: self._bodies(kind, names))
        here = (id(names), view, model.tick.rate, tuple(model.ability))
        heard, anchored = [], False
        for name, ability in model.ability.items():
            key = (id(ability), name, here)
            looked = self._once(key, (ability, names), lambda n=name, a=ability: self._ability(n, a, names))
            self._looked[name] = looked
            links.found += looked[0]
            heard.append(looked[1])
            anchored = anchored or looked[2]
        links.found += self._once(("names", id(names)), names, lambda: self._named(names))
        if anchored:
            links_ability.pairs(links)
        for name, cue in model.cue.items():
            links_scene.cue(links, ("cue", name), cue)
        if not model.ability and not self.entries["ability"].lost and "ability" not in self._odd():
            links.note(("ability",), "the drill has no ability", allowed="a table [ability.NAME] with launch.speed")
        for name in self.cases:
            if name in model.case:
                track = model.case[name].track
                if track is not None:
                    self.tracks[name] = self.tables.track(self.document.folder / track)
                key = ("case", name, id(names), *map(id, (case := model.case[name], model.world, model.tick)), *heard)
                kept = case, names, model.world, model.tick, *model.ability.values()
                links.found += self._once(key, kept, lambda n=name: self._case(n, names))
        return links.found

    def _odd(self) -> set[str]:
        return {str(key[0]) for one in self.entries.values() for key, _, _ in one.odd}

    def _names(self) -> Names:
        model = self.usable
        key = ("Names", id(model.shooter), id(model.obstacle), id(model.target))
        if self.lost:
            return Names(model, self.lost)
        kept = (model.shooter, model.obstacle, model.target)
        return self._once(key, kept, lambda: Names(model, self.lost))

    def _bodies(self, kind: str, names: Names) -> list[Problem]:
        from nivvo.spec.checking import links_scene

        links = Links(self.usable, self.document, names, self.only_names)
        for name, body in getattr(self.usable, kind).items():
            links_scene.body(links, (kind, name), body)
        return links.found

    def _named(self, names: Names) -> list[Problem]:
        from nivvo.spec.checking import links_scene

        links = Links(self.usable, self.document, names, self.only_names)
        links_scene.names(links)
        return links.found

    def _ability(self, name: str, ability: Any, names: Names) -> tuple[list[Problem], tuple, bool]:
        """What is wrong with an ability, what cases ask of it, and whether it leaves anchors."""
        from nivvo.spec.checking import links_ability, links_case

        links = Links(self.usable, self.document, names, self.only_names)
        links_ability.check(links, ("ability", name), ability)
        anchored = any(answer.anchor is not None for answer in ability.on.values())
        return links.found, links_case.asked_of(name, ability), anchored

    def _case(self, name: str, names: Names) -> list[Problem]:
        from nivvo.spec.checking import links_case

        links = Links(self.usable, self.document, names, self.only_names)
        links_case.check(links, name, self.tracks.get(name))
        return links.found

    def _once(self, key: Any, kept: Any, make: Callable[[], Any]) -> Any:
        """What ``make`` gives, made once for the same objects: ``kept`` are those that the key names by identity."""
        linked = self.tables.linked
        if key not in linked:
            if len(linked) > self.tables.most:
                linked.clear()
            linked[key] = (kept, make())
        return linked[key][1]


def _dict(value: Any) -> dict:
    return value if isinstance(value, dict) else {}


def _valid(model, table) -> Any:
    """The model of a table, or None."""
    from pydantic import ValidationError

    try:
        return model.model_validate({} if table is None else table)
    except ValidationError:
        return None


def body_of(kind: str, name: object, keys: dict[str, Any], model: Model, there: list[str]) -> Any:
    """The model of one more body of a drill, from the keys of its table. there : names of the bodies that are there.

    Raises CallError for whatever is wrong.
    """
    from nivvo.spec.checking import links_scene
    from nivvo.spec.reading.document import not_plain

    document = Document("", Path(), {kind: {name: keys}})
    problem = not_plain(document.tables, "")
    if problem is not None:
        raise CallError(str(problem))
    tables = Tables(type(model))
    entries = tables.entries(kind, document)
    problems = tables.problems_of(kind, entries, document)
    if name in entries.right:
        names = Names(model, set())
        names.bodies = dict.fromkeys(there)
        links = Links(model, document, names, set())
        links_scene.body(links, (kind, name), entries.right[name])
        problems += links.found
    if problems:
        raise CallError("\n".join(map(str, problems)))
    return entries.right[name]
