"""What came of a session: a run with its tables, what happened in order of time, cues and waves as events go by."""
