"""The models of an ability: what fires it, aims it, launches it, acts on it, and what its touches come to."""
