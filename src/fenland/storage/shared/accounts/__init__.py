"""Accounts and tokens in tables, and what is kept of callers: counts, and outcomes of requests."""
