"""The history in tables: entries and their leaves, what searches skip by, the tree, and signed heads."""
