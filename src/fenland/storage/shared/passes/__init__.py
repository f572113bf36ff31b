"""Passes and proposals in tables: what was handed out, and what came in through it."""
