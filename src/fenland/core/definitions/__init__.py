"""Definitions: what a record type is, how it is read, and whether a value is one that a field may hold.

Who may do what stands in `access/`, what a change means in `changes/`.
"""
