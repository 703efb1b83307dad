"""Moisture: what the eggs lose and ask for, and the water and vents that give it."""
