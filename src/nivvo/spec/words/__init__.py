"""Words: the known one nearest to one that is not, where else something is, and what keys were called before."""
