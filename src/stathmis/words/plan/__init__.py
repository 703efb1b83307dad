"""Plans, in words."""
