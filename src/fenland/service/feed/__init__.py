"""The feed: changes in the order of their commits, as each follower may see them.

What was is for `history/`; how an answer waits, or streams, is for the rooms above.
"""
