"""Notices for other systems: what of the outbox somebody may see.

They are put there by `service/changes/applying.py`, with the change that leaves them.
"""
