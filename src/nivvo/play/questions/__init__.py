"""What is asked about a drill beside firing it: clearance, direction rose, solutions, holds, deciding defaults.

Each fires scratch sessions and reads what came of them.
"""
