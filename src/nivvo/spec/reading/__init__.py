"""From files to plain tables: TOML with positions, ``use`` and ``like``, what is laid over, sheets, heights, tracks."""
