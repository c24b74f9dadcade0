"""Numbers only: arrays in, arrays out. NumPy and (when asked for) Numba and SciPy live here.

No files, no printing, no models, no pandas, no clock, no global random source. What is marked in
``_jit`` runs plain or compiled, with the same bytes as a result.
"""
