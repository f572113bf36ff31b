"""Definitions that change: what differs between two, what becomes of records, and how the past is read."""
