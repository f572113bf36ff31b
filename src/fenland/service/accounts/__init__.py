"""Accounts: who they are, how they sign in, and their tokens. What they may do is said by definitions."""
