"""A hatch to practise on: a world with a truth of its own, lived through the same pages as a real one."""
