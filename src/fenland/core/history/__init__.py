"""The history: entries, the leaves and the tree that prove them, and what is told of them.

How entries of older definitions are read stands in `evolving/`.
"""
