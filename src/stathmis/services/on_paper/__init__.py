"""What goes to the machine on paper, and how what was written there comes back."""
