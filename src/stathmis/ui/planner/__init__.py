"""The planner: the batches to come on one drawn calendar, their steps, and what stands in the way."""
