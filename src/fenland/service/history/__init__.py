"""The past: what was changed, how records were, and the ways back. What proves it is in `proof/`."""
