"""Eggs, in words."""
