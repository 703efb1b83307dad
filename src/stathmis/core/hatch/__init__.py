"""Numbers behind a hatch: rates, causes, what it teaches."""
