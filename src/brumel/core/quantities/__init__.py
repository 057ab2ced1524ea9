"""One module a quantity."""
