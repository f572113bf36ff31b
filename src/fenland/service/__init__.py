"""The use cases: what can be asked of Fenland, one module each, with no HTTP in any of them."""
