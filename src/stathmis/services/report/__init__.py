"""Reports: what is told of a batch or a season, in blocks that a page of any kind can be made of."""
