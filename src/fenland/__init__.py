"""Fenland: one update API over described record types.

The rooms are listed in docs/architecture.md; a reader starts with `fenland.core`.
"""

__version__ = "0.1.0"
