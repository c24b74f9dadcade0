"""An ability as it runs: its launch, flight, answers and effects, as frozen records in counts and codes."""
