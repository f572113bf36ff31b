"""Values by themselves: texts, identifiers, times, patterns, and how two of them compare.

Nothing here knows definitions.
"""
