"""Accounts and tokens in tables, and what is kept of callers: counts, outcomes of requests, and notices."""
