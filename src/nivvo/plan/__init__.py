"""What runs, made once from what was written: a case as frozen records, its durations in counts of the clock.

Every default that is not of one key alone is filled in here, every answer to a group looked up, every unit settled.
Reads models of ``spec``; whoever plays, judges or shows reads these records. Nothing here changes while a case runs.
"""
