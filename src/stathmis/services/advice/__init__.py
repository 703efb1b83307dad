"""What to do about a machine: one adviser a quantity, each with a typed reason. words.advice says it."""
