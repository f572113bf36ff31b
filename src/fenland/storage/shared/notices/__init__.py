"""Notices in tables: those that effects left, who is to get them, and what became of each that is sent."""
