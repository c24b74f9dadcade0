"""The JSON Schema of drill files, so that editors complete and check them."""

from __future__ import annotations

from typing import Any

from nivvo.spec.checking.model import Model


def schema() -> dict[str, Any]:
    """The JSON Schema (draft 2020-12) of a drill file, as plain tables.

    ``like`` and ``without`` are allowed in every named table; a table that has ``like`` may leave out
    what it inherits.
    """
    made = Model.model_json_schema()
    made["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    made["title"] = "Nivvo drill"
    for name in ("Shooter", "Obstacle", "Target", "Ability"):
        table = made["$defs"][name]
        table["properties"]["like"] = {"type": "string", "description": "the table of the same kind that it builds on"}
        table["properties"]["without"] = {
            "type": "array",
            "items": {"type": "string"},
            "description": "dotted keys that it takes away again",
        }
        if required := table.pop("required", None):
            table["anyOf"] = [{"required": required}, {"required": ["like"]}]
    for table in made["$defs"].values():
        table.pop("title", None)
        for entry in table.get("properties", {}).values():
            entry.pop("title", None)
    use = made["properties"]["use"]
    made["properties"]["use"] = {"anyOf": [use, {"type": "string"}], "description": use["description"]}
    made["required"] = ["nivvo", "ability"]
    return made
