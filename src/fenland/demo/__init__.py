"""The sample project of a made-up drainage board, and the data that fills it."""
