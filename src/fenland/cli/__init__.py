"""The command line: what needs a running service goes through `client/`."""
