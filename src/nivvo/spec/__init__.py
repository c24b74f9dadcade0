"""What a user writes: models of every word, the TOML reader with positions, the JSON schema.

Nothing here fires, draws or prints. A drill is read into plain tables, merged (``use``, ``like``,
``set``), validated by the models, and checked for names that do not meet.
"""
