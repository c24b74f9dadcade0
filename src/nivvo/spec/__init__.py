"""What a user writes: models of every word, the TOML reader with positions, the JSON schema.

Nothing here fires, draws or prints. A drill is read into plain tables, merged (``use``, ``like``), laid over with what
a case and a call set, validated by the models, and checked for names that do not meet; each effective drill once.
What calls are given is told here too (``arguments``), and files are read with a bound and written whole (``files``).
"""
