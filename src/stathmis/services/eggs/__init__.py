"""The eggs one by one: where they lie, what was found at them, and what came of them."""
