"""Phases, steps and upsets of an incubation."""
