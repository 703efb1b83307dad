"""The demo logbook: a hill station of our own invention, simulated with a fixed random seed."""
