"""Proof of the history: signed heads, proofs, archives, and holding a database or a file against them."""
