"""A keeper's tasks, one module each. No Qt; given a clock."""
