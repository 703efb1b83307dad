"""Views of the instruments: the drawer, a check and its result, an instrument's history, an incubator's places."""
