"""The pages of the eggs: the tray as it lies, and the hatch."""
