"""HTTP in, use case, HTTP out: Flask lives here alone, and decides nothing about records."""
