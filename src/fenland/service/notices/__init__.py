"""Notices for other systems: who is sent what (`subscriptions`), what is to be sent (`taking_up`), how it is
sent (`sending`, `posting`, `signing`), and what became of it (`delivered`); and the outbox of what effects
left.

What effects leave is put there by `service/changes/applying.py`, with the change that leaves it. What changed
stands in the history, so that it is in the change's own transaction as well, and costs it nothing.
"""
