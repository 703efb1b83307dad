"""A machine in numbers: its air, walls, eggs, vapor and water, run forward as many boxes at once."""
