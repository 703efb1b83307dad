"""The plan of every batch, the tasks that come from it, and what is done by hand every day."""
