"""When shots happen: one class a firing kind, from event to event, and the timers that games count with."""
