"""A case in time: it turns models into core records once, aims, fires, and keeps what happened as a Run.

No files are read here, nothing is printed; figures and checks come later in the house.
"""
