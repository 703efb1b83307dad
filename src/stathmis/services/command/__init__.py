"""What is done from a terminal or a script, and how it reaches a logbook a window has open."""
