"""The pages of moisture: the eggs on the scale, the water and the vents."""
